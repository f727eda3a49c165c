"""Weigh: thresholds and policies."""
