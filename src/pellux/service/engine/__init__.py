"""The running searches of a workspace, and what is told of them."""
