"""How fast an output follows what it is set to, and what it does as it is switched on and off."""
