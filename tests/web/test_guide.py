"""The guide says the same everywhere, shows what there is, and leads where it says."""

from __future__ import annotations

from pathlib import Path

import pytest
from PIL import Image

from brumel.core.guide.guide import GuideTask, as_markdown, tasks
from brumel.web.guide.views import PLACES

STATIC = "src/brumel/web/static/guide"


def test_the_document_is_the_guide(root: Path) -> None:
    page = (root / "docs" / "guide.md").read_text(encoding="utf-8")
    assert page == as_markdown(tasks(), "screenshots"), "run ./brumel guide > docs/guide.md"


@pytest.mark.parametrize("found", tasks(), ids=lambda t: t.key)
def test_a_task_begins_at_a_place_and_shows_a_picture_of_it(root: Path, found: GuideTask) -> None:
    assert found.place in PLACES
    assert found.steps
    if found.picture:
        assert (root / "docs" / "screenshots" / f"{found.picture}.png").is_file()
        with Image.open(root / STATIC / f"{found.picture}.png") as picture:
            assert picture.size == (640, 400)


def test_no_picture_is_left_over(root: Path) -> None:
    assert {p.stem for p in (root / STATIC).glob("*.png")} == {t.picture for t in tasks() if t.picture}
