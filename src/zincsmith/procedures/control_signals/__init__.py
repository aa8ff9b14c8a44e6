"""Control signals: a unit that is switched off and on at a terminal of its own."""
