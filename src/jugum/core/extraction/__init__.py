"""Finding values. The rooms, in the order in which they stand on one another:

found, decided   what an engine found, and what is decided about a field
candidates/      what could be a value, by data type and by rule; samples; synonyms and word meanings of printed names
values/          features → ranker and prior → assignment → relations → second opinion → reasons
ticks            tick boxes with the words that say what they are
guessed_marks    what marks may say whose words nobody has taught
marks            tick boxes, choices, signatures and zones, by engines that need no training
clauses/         which section or paragraph a clause is
tables/          tables by their printed heads, by learned heads, by a tagger; grids that a person draws
untrained/       the plan alone: printed names, reading without training, proposals of fields
parts            clauses, tables and marks together: read, learned, judged
model            everything a trained version reads with
"""
