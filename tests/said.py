"""What a finding says, as people read it in English."""

from __future__ import annotations

from typing import Protocol

from brumel.core.findings import Finding
from brumel.core.said import Said
from brumel.core.uncertainty import Contribution
from brumel.core.words.catalogue import share_words, word


class Speaks(Protocol):
    """Says a sentence: a finding, a limit that was asked, what is missing, a look at a cup."""

    @property
    def says(self) -> Said: ...


def sentence(found: Speaks) -> str:
    """Word its sentence."""
    return str(word(found.says))


def remedy(found: Finding) -> str:
    """Word what to do next; empty where nothing is needed."""
    return str(word(found.remedy))


def source(found: Finding) -> str:
    """Word where its limit comes from."""
    return str(word(found.source))


def called(share: Contribution) -> str:
    """Name a contribution."""
    return str(share_words(share.key, share.of))
