"""Moves of the stage Buses: ready starts.

Routings that engineers build in every song, built at once, with their one number found. Each is a normal set of
buses, sends and stations that can be changed like any other. What has to be found by ear otherwise - a threshold,
a ceiling, the level of a copy - is found on the sound itself when the move is prepared: the loudest twenty
seconds that reach the place are played through the real processor until the aim is met. Aims are common
practice: about 1.5 dB of glue, a crushed copy some 22 dB under the dry drums, a limiter that the kick alone does
not touch.
"""
