"""Efficiency, power factor, regulation and static accuracy from one sweep over load and line."""
