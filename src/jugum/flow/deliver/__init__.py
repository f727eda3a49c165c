"""Deliver: results as a table, files and deliveries."""
