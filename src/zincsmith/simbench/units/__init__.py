"""What the stand-in bench can hold: physics of units of each kind, and what is inside them."""
