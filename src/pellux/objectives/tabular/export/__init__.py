"""What is taken away of a chosen configuration: model, open format, script."""
