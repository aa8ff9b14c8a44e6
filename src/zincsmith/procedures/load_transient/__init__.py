"""Steps of the load of an output."""
