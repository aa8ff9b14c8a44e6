"""Touch current: what flows from an output, or an accessible part, to earth through a person."""
