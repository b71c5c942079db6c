"""What a search will cost: a model of the seconds of a fit, learned from those that were done."""
