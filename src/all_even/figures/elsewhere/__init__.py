"""How a mix would be heard elsewhere: on other systems, beside references, and in blind comparison."""
