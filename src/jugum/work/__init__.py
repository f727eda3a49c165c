"""Background tasks: thin, each calls one flow function."""
