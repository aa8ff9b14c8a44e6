"""What a converter sends back into its source."""
