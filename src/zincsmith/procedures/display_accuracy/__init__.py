"""The unit's own display against the reference."""
