"""The engine: a pure coordinator, the driver that carries out its commands, and runners that do the fits."""
