"""The window's connection to book and engine: documents, the run that is shown, what can be said ahead."""
