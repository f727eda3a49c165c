"""What could be a value: candidates by data type and by rule, samples with labels, and what printed names mean."""
