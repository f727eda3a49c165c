"""Review: live papers are drafted, routed and settled."""
