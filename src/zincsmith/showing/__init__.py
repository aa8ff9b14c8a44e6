"""What screens, report and command line show alike, from the same judged run. No Qt."""
