"""Reading a paper by its plan alone, with no training; and fields that a paper proposes for a plan."""
