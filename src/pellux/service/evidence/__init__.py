"""What the trials say: asked for, computed in a process of its own, and shown."""
