"""The rules of the job and its computation: no web, no database, no settings, no clock, no network."""
