"""Small stand-ins for outside services, so that everything can be tried on one machine without a network."""
