"""Label: the right answers on samples, suggestions, past records, double labelling, layouts and sets."""
