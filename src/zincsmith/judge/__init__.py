"""Evidence from the book -> findings -> verdicts and doubts. No Qt: screens, report and command line share it."""
