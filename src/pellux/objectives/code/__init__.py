"""Objectives whose fits are somebody's own training code: a program, a function, or a loop outside."""
