"""Outputs that alternate: volts, frequency, distortion, crest and direct part over load and input, and efficiency."""
