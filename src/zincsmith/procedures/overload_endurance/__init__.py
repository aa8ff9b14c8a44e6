"""Overload endurance: how long it stands more than its rating."""
