"""What procedures that work on records of volts and amps share: taking them, reading them, findings out of them."""
