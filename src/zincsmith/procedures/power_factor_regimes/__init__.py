"""Where power-factor correction switches in and out."""
