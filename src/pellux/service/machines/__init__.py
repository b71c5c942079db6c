"""The machines of clusters: which are known to this workspace, what they have, and who may be reached."""
