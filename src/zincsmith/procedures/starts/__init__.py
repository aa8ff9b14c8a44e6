"""What a unit starts into: constant current, a resistance, capacitors, an output that already stands at some volts; and
what it takes back while it is off."""
