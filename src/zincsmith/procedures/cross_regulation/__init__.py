"""Cross regulation: what the load of one rail does to the volts of the others."""
