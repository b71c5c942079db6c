"""Tables on disk: how files are read, and the mapped arrays made of them."""
