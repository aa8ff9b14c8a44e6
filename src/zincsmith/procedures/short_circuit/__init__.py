"""An output that is shorted."""
