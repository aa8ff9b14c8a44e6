"""The gates before power, and what is put back at the end."""
