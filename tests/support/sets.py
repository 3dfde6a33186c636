"""Which set a test is in: what judges quality on whole plates runs before a release, by `./lather test --all`."""


def for_release(test):
    """Decorator of a class or a test. What is cheap of it stays in the default set."""
    test.for_release = True
    return test
