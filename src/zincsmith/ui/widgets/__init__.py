"""Painted, directly operated widgets and the small controls around them."""
