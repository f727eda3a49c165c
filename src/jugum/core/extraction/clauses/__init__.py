"""Clauses: which section or paragraph of a paper a clause is, by its heading alone or by learned words."""
