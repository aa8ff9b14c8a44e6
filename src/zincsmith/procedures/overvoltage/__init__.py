"""Over-voltage protection, where it can be met without harm: an output that is set is raised to where it lets go."""
