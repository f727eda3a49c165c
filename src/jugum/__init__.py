"""Jugum: a trained model and a person share the reading of an office's papers."""

__version__ = "0.1.0"
