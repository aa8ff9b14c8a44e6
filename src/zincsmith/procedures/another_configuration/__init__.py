"""The unit is put into another configuration during a plan."""
