"""Vehicles that are not ours: their own copper, batteries, alternators, belts and meters, solved by ngspice.

Nothing here uses the product's network, its operating states or its netlists. What is shared is what a technician shares with the
product: the drawn circuit as a document, and the list of places that a test asks to be read. Every figure is drawn at random from
ranges that are wider than the product's own assumptions. Vehicles are invented; ranges are common practice, no source, unless said.
"""
