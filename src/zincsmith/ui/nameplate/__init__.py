"""The sheets of the Nameplate station."""
