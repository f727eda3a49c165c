"""Train: versions made from labels, their reports and files, publishing."""
