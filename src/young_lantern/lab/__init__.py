"""Real servers on loopback, the stand-in origin, certificates made on the spot. Nothing of the core needs it."""
