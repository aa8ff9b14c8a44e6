"""What is left at the pins of a plug after it was pulled."""
