"""The stand-in bench: simulated instruments that speak SCPI over loopback, and the unit wired between them.

It runs in a process of its own (``python -m zincsmith.simbench``) and shares no code with the rest of the
application: it is the outside world that the application is checked against.
"""
