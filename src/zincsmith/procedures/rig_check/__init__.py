"""The rig itself, before it is believed."""
