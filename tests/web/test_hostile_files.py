"""A few hundred files that no export of ours would be; ``./brumel bench hostile`` takes more."""

from __future__ import annotations

from flask.testing import FlaskClient
from tests.web.hostile_files import attack_by_files
from tests.web.screens import enter

from brumel.services.application import Services

SEED, COUNT = 20261201, 240


def test_a_file_is_taken_whole_or_refused_in_words_and_breaks_no_page(services: Services, client: FlaskClient) -> None:
    enter(client, "supervisor")
    taken, wrong = attack_by_files(services, client, SEED, COUNT)
    assert wrong == [], f"seed {SEED}"
    assert taken > 5
