"""Parts of the Plan station."""
