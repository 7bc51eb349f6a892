"""What goes wrong through the world rather than through us, said in one sentence for people."""


class UserError(Exception):
    """A cause the user can understand and act on; `str(error)` is one plain sentence.

    Everything else that is raised is a defect of the program and may fail loudly in tests.
    """


class Cancelled(Exception):
    """The user stopped long work; nothing is wrong and nothing was left half done."""
