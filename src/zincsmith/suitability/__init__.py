"""Whether a rig suits a unit and a plan: rules, each with its code, sentence and remedy."""
