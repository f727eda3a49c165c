"""Gather: receive papers, read them, split bundles, place papers by type."""
