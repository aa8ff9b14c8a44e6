"""Photographs: picked, prepared beside the window, noted."""
