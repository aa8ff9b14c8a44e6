"""Thermal soak: how warm something gets in the end."""
