"""Power envelope: the greatest output power that each input allows."""
