"""Learned values: features → ranker and prior → assignment → relations → second opinion → reasons."""
