"""What a port does while it changes its mode."""
