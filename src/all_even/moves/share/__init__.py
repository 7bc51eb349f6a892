"""Share: where tracks hide each other, who yields, and as little of it as is needed.

In this order, because each is a stronger lever than the next: apart in width, thin out, level, then the spectrum: what
lies outside a part's own range, a set of bands found by search (`search`, `shape`), a cut that follows its victim
(`keyed`), centres of what is alike (`complement`).
"""
