"""One file for each characterization: needs, cautions, steps, tidy-up, findings."""
