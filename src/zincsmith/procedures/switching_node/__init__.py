"""The switching node: how often, how evenly, at how many volts."""
