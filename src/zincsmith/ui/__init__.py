"""The window: shell, stations, painted widgets. It reads the book and sends commands; it computes nothing."""
