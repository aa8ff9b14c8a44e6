"""The process that runs a plan: interpreter, states, watches, rehearsal. It owns the instruments and the book."""
