"""Versions judged: metrics with intervals, the report, the learning curve, version against version, and agreement
between people.

Every figure is of papers that the model behind it had not seen.
"""
