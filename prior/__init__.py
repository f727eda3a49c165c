"""How the prior ranker that ships with the program is made; nothing of it is needed at run time."""
