"""A regulator inside a unit: what it leaves of the ripple before it, and how much room its valleys leave it."""
