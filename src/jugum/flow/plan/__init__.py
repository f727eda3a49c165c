"""Plan: the fields, tables, clauses, marks and checks of a document type."""
