"""Modes of ports: what each is asked for and gives, before anything is plugged in and after it is taken off."""
