"""The duck: the bass gives way while the kick sounds."""
