"""A photo or a job is read beside the window, which goes on being drawn."""

import logging
from collections.abc import Callable

from lather.core import log
from lather.core.errors import LatherError
from lather.core.phrases import phrase
from lather.core.session import Session
from lather.core.strict_json import plain_text
from lather.desktop.background import aside
from lather.desktop.window.host import Host

_log = logging.getLogger(__name__)


def read_beside(window: Host, name: str, read: Callable[[], Session]) -> Session | None:
    """What `read` gives; None, and why, where it cannot be."""
    window.screens.show_going_on(phrase("Reading %1 …", plain_text(name)))
    try:
        return aside(read)
    except LatherError as error:
        window.warn(log.expected(_log, error))
        return None
    finally:
        window.screens.show_going_on("")
