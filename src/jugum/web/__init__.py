"""Pages and API: a route parses, authorises, calls one flow function, and responds."""
