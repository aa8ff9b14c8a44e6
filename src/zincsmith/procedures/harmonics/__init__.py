"""The orders of the input current against their limits."""
