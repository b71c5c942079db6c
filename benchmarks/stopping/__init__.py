"""Early stopping on tables of real fits: how much of the work it saves, and what it costs."""
