"""An output when its input goes."""
