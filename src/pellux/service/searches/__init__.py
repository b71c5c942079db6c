"""Searches and their trials, running and ended."""
