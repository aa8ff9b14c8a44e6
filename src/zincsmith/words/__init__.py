"""Sentences about plates, claims, rigs, benches and logs. They are made from records and never read back."""
