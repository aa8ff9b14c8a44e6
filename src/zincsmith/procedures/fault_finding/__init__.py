"""The worksheet of fault finding: stage by stage, unplugged before live."""
