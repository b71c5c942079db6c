"""Problems: data, briefs, what may be wrong with them."""
