"""An output when its input comes."""
