"""Names under which version 0.1 saved models and checkpoints: they load as long as these are here. Nothing else uses them."""
