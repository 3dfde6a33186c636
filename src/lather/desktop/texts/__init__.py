"""The interface in another language: `tr` stands where a text comes on the screen; the code holds plain English."""

from lather.desktop.texts.catalogue import Catalogue, current, tr, use

__all__ = ["Catalogue", "current", "tr", "use"]
