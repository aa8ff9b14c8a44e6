"""The current that rushes in when the input comes."""
