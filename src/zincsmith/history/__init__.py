"""What the events of a book add up to: a run as it stands, what ran, what was dealt with. No Qt."""
