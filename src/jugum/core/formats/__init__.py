"""Open formats in and out, a module each: the version file, CSV and JSON of results, labels, words of pages."""
