"""Un-ionised ammonia and hypochlorous acid."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.calculations._inputs import CYANURIC_ACID, PH, temperature
from brumel.core.quantities.ammonia import (
    NH3_FROM_N,
    ammonium_pka,
    ammonium_pka_total_scale,
    hypochlorous_pka,
    undissociated_acid,
    undissociated_base,
)
from brumel.core.reckoning.definition import Caveat, Choice, Condition, Curve, Number, Output, calculation
from brumel.core.said import Amount, Named, Said, celsius, figures, says

_SOURCE = (
    "NIST scale: Emerson et al. 1975 with the salt term of Hampson 1977 as in EPA 440/5-88-004; total scale: "
    "Johansson & Wedborg 1980, 5–25 °C; all from memory"
)
_T = temperature(0.0, 40.0)
_S = Number("salinity", "Practical salinity", "", 0.0, 45.0, default=0.0)
_SCALE = Choice(
    "ph_scale",
    "Scale of the pH",
    {"nist": "NIST: an electrode calibrated on buffers", "total": "total: sea-water buffers or a dye"},
    default="nist",
)
_SCALE_OUT = Output("scale", "Scale of the pH")
_TOTAL = (
    Condition(
        "salinity",
        lambda v: (v.ph_scale != "total") | (np.asarray(v.salinity) >= 5),
        "The total scale is one of sea water: its relation holds from salinity 5; {salinity:g} lies outside.",
    ),
    Condition(
        "temperature_c",
        lambda v: (v.ph_scale != "total") | ((np.asarray(v.temperature_c) >= 5) & (np.asarray(v.temperature_c) <= 32)),
        "On the total scale the relation holds from 5 to 32 °C; {temperature_c:g} °C lies outside.",
    ),
)
_WARM_TOTAL = Caveat(
    lambda v: (v.ph_scale == "total") & (np.asarray(v.temperature_c) > 25),
    "Above 25 °C the relation for the total scale is used beyond its fit (5 to 25 °C).",
    "temperature_c",
)


def _pka(temperature_c: Any, salinity: Any, ph_scale: str) -> Any:
    if ph_scale == "total":
        return ammonium_pka_total_scale(temperature_c, salinity)
    return ammonium_pka(temperature_c, salinity)


def _hypochlorous(v: SimpleNamespace) -> Amount:
    return Amount(float(hypochlorous_pka(v.temperature_c)), "", 3)


def _share_words(v: SimpleNamespace) -> Iterator[Said]:
    pka = float(_pka(v.temperature_c, v.salinity, v.ph_scale))
    share = 100.0 * float(undissociated_base(v.ph, pka))
    yield says(
        "working.pka", at=celsius(v.temperature_c), salinity=Amount(v.salinity), pka=Amount(pka, "", 3),
        scale=Named("ph-scale", v.ph_scale),
    )  # fmt: skip
    yield says("working.share-nh3", pka=Amount(pka, "", 3), ph=Amount(v.ph), share=figures(share, 3, "%"))


def _ammonia_words(v: SimpleNamespace) -> Iterator[Said]:
    yield from _share_words(v)
    yield says(
        "working.unionized", tan=Amount(v.tan_mg_l, "mg/L"), share=figures(v.fraction_percent, 3, "%"),
        as_n=figures(v.unionized_mg_l, 4, "mg/L"), as_nh3=figures(v.unionized_nh3_mg_l, 4, "mg/L"),
    )  # fmt: skip


@calculation(
    name="unionized-ammonia",
    title="Un-ionised ammonia",
    formula="share = 1 / (1 + 10^(pKa − pH)); pKa = 0.09018 + 2729.92/T + 0.116 I, "
    "I = 19.9273 S / (1000 − 1.005109 S); "
    "pH on the total scale: pKa = −0.467 + 0.00113 S + 2887.9/T",
    inputs=(Number("tan_mg_l", "Total ammonia nitrogen, as N", "mg/L", 0.0, 10_000.0), PH, _T, _S, _SCALE),
    outputs=(
        Output("fraction_percent", "Share as NH3", "%", 2),
        Output("unionized_mg_l", "Un-ionised ammonia, as N", "mg/L", 4),
        Output("unionized_nh3_mg_l", "Un-ionised ammonia, as NH3", "mg/L", 4),
        _SCALE_OUT,
    ),
    source=_SOURCE,
    note="±0.1 pH is ±24 %, +1 °C is +7 %.",
    conditions=_TOTAL,
    caveats=(_WARM_TOTAL,),
    words=_ammonia_words,
    curve=Curve("ph", "fraction_percent", low=6.0, high=11.0),
)
def unionized_ammonia(tan_mg_l: Any, ph: Any, temperature_c: Any, salinity: Any, ph_scale: str) -> Any:
    share = undissociated_base(ph, _pka(temperature_c, salinity, ph_scale))
    return 100.0 * share, tan_mg_l * share, tan_mg_l * share * NH3_FROM_N, ph_scale


def _total_words(v: SimpleNamespace) -> Iterator[Said]:
    yield from _share_words(v)
    rest = 1.0 - float(undissociated_base(v.ph, _pka(v.temperature_c, v.salinity, v.ph_scale)))
    tan, rest_said = figures(v.tan_mg_l, 4, "mg/L"), Amount(rest, "", 4)
    yield says("working.tan", ammonium=Amount(v.ammonium_n_mg_l), rest=rest_said, tan=tan)


@calculation(
    name="ammonium-to-total",
    title="Total ammonia from an ammonium tip",
    formula="TAN = NH4-N / (1 − share)",
    inputs=(Number("ammonium_n_mg_l", "Ammonium, as N", "mg/L", 0.0, 10_000.0), PH, _T, _S, _SCALE),
    outputs=(Output("tan_mg_l", "Total ammonia nitrogen, as N", "mg/L", 3), _SCALE_OUT),
    source=_SOURCE,
    note="An ammonium tip sees NH4 only; it works from pH 4 to 8.5.",
    conditions=_TOTAL,
    caveats=(_WARM_TOTAL,),
    words=_total_words,
    curve=Curve("ph", "tan_mg_l", low=4.0, high=9.0),
)
def ammonium_to_total(ammonium_n_mg_l: Any, ph: Any, temperature_c: Any, salinity: Any, ph_scale: str) -> Any:
    return ammonium_n_mg_l / (1.0 - undissociated_base(ph, _pka(temperature_c, salinity, ph_scale))), ph_scale


@calculation(
    name="hypochlorous-fraction",
    title="Free chlorine as hypochlorous acid",
    formula="1 / (1 + 10^(pH − pKa)); pKa = 3000.00/T − 10.0686 + 0.0253 T",
    inputs=(
        PH,
        temperature(5.0, 40.0),
        CYANURIC_ACID,
        Number("salinity", "Practical salinity (sea salt)", "", 0.0, 42.0, default=0.0),
    ),
    outputs=(Output("fraction_percent", "Share as HOCl", "%", 1),),
    source="Morris 1966, 5–35 °C; to 40 °C marked",
    note="Free chlorine only, without stabiliser and without bromide.",
    conditions=(
        Condition(
            "cyanuric_acid_mg_l",
            lambda v: np.asarray(v.cyanuric_acid_mg_l) == 0,
            "Does not apply with stabiliser: cyanuric acid holds most of the free chlorine (30 mg/L leaves 0.05 of "
            "1.56 mg/L); measure free chlorine and cyanuric acid instead.",
        ),
        Condition(
            "salinity",
            lambda v: np.asarray(v.salinity) == 0,
            "Does not apply in sea salt: its bromide turns chlorine into hypobromous acid.",
        ),
    ),
    caveats=(
        Caveat(
            lambda v: np.asarray(v.temperature_c) > 35,
            "Above 35 °C (spas) the relation is used beyond its published range, 5 to 35 °C.",
            "temperature_c",
        ),
    ),
    words=lambda v: (
        says("working.pka-at", at=celsius(v.temperature_c), pka=_hypochlorous(v)),
        says("working.hypochlorous", ph=Amount(v.ph), pka=_hypochlorous(v), share=Amount(v.fraction_percent, "%", 1)),
    ),
    curve=Curve("ph", "fraction_percent", low=5.0, high=10.0),
)
def hypochlorous_fraction(ph: Any, temperature_c: Any, cyanuric_acid_mg_l: Any, salinity: Any) -> Any:
    del cyanuric_acid_mg_l, salinity
    return 100.0 * undissociated_acid(ph, hypochlorous_pka(temperature_c))
