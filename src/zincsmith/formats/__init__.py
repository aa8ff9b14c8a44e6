"""What comes from and goes to outside: checked here, clean inside."""
