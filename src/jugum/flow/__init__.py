"""One module per step: the only place where core meets store. Transactions begin and end here."""
