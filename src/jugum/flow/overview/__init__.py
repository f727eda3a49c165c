"""The overview: where each type stands on the seven steps, and what is worth doing next."""
