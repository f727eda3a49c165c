"""Bytes from outside are taken apart in processes of their own: limits on memory and time, no network, no rights, no
password of the database (docs/decisions/0021).

`Parsers` is what the rest of the program asks; `kinds` is what such a process can do, a module for each kind of
process; `confine` takes its rights away; `wire` is what the two say to each other.
"""
