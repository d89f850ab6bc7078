"""Plans as files."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidybench.core.plan.plan_file import PlanError, PlanFile, load_plan, plan_text

TEXT = st.text(st.characters(exclude_categories=("Cs", "Cc")), max_size=40)
SECONDS = st.floats(0.5, 86_000, allow_nan=False)
ENDS = st.fixed_dictionaries(
    {},
    optional={
        "after_s": SECONDS,
        "rows": st.integers(1, 10**9),
        "at": st.sampled_from(["17:30", "06:00:30", "2026-11-27T06:00+01:00"]),
        "when": st.lists(
            st.fixed_dictionaries(
                {"channel": st.just("flow"), "side": st.just("above"), "value": st.floats(-1e9, 1e9)},
                optional={"for_s": SECONDS},
            ),
            max_size=3,
        ),
        "settled": st.fixed_dictionaries({"bands": st.just({"loop-flow": 0.5, "a.b": 2}), "for_s": SECONDS}),
    },
)
PLAN = st.fixed_dictionaries(
    {"plan": st.just("Acceptance, 4 “steps”"), "name": TEXT},
    optional={
        "item": TEXT,
        "notes": st.text(st.characters(exclude_categories=("Cs",)), max_size=80),
        "fields": st.dictionaries(st.sampled_from(["Impeller", "Größe [mm]", '"x"']), TEXT, max_size=3),
        "channels": st.lists(st.sampled_from(["a", "b.c", "loop-flow"]), max_size=3),
        "row_rule": st.sampled_from(
            [{"kind": "each reading"}, {"every_s": 0.5, "values": ["mean", "minimum"]}, {"age_s": 3}]
        ),
        "ends": ENDS,
        "carry_on": st.booleans(),
    },
)


@given(PLAN)
def test_what_is_written_is_read(data: dict[str, Any]) -> None:
    plan = PlanFile.model_validate(data)
    assert load_plan(plan_text(plan)) == plan


def test_the_example_of_the_docs() -> None:
    plan = load_plan(
        'format = 1\nplan = "Acceptance"\nname = "Pump acceptance"\n'
        '[row_rule]\nevery_s = 10\nvalues = ["mean", "minimum", "maximum"]\n'
        "[ends]\nafter_s = 1200\n[ends.settled]\nfor_s = 30\nbands = { loop-flow = 2 }\n"
    )
    assert plan.row_rule.words == "steady rows every 10 s: mean, minimum, maximum"
    assert plan.ends.words == "after 1200 s; settled for 30 s (loop-flow within 2)"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("format = ", "This is not TOML"),
        ('plan = "x"', "name: this key is missing."),
        ('plan = "a/b"\nname = "x"', "plan"),
        (
            'plan = "x"\nname = "x"\n[ends]\nuntil = 3',
            "there is no such key. Check its spelling against docs/formats/plans.md",
        ),
        ('plan = "x"\nname = "x"\n[ends]\nat = "noon"', "“noon” is no time"),
        ('plan = "x"\nname = "x"\n[row_rule]\nevery_s = true', "a number is wanted"),
        ('format = 2\nplan = "x"\nname = "x"', "format"),
    ],
)
def test_a_slip_is_a_sentence(text: str, said: str) -> None:
    with pytest.raises(PlanError, match=said.replace(".", r"\.")):
        load_plan(text)
