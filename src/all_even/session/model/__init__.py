"""The session as one immutable value, and what can be read off it: settings, routing, what is heard."""
