"""A line that goes away for a moment, sags or jumps, and the ends of its frequency."""
