"""Power with the output open, recorded until it is steady."""
