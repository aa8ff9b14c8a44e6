"""The sheets of the Rig station."""
