"""The first start of a unit, up to full load."""
