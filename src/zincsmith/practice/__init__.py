"""Practice: a unit with something wrong, or nothing, to be found by measuring."""
