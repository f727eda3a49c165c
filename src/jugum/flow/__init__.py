"""What the product does, one package a step, in the order of the work: gather, plan, label, train, weigh, review,
deliver.

The only place where core meets the store; transactions begin and end here. A step may use the steps before it, never
those after it. `office` (people, rights, document types, failures) and `in_force` (a type's live version and policy)
lie under all steps, `overview` above them.
"""
