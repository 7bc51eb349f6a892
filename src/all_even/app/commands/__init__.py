"""Commands as data, and the menus made from them."""
