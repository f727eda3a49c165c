"""Three hands that draw papers to measure on, each with rules of its own: a registry's forms, a counting house's
delivery notes, a notary's leases. None of them shares layouts, wordings or code of layout with the demo's papers, with
the other benches' or with those that the shipped prior was made on, and their wordings were chosen without looking at
the shipped synonyms."""
