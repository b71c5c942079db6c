"""A function for tests of own code."""

import helper


def train(settings, fit):  # type: ignore[no-untyped-def]
    return helper.score(settings["x"])
