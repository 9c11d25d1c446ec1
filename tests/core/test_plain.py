"""What validation finds, in words: never the library's own, never a pattern."""

import re
from typing import Any

import pytest
from pydantic import ValidationError

from jayflick.core.plain import in_words
from jayflick.core.recipe import Recipe


def gif(**more: Any) -> dict[str, Any]:
    return {"outputs": [{"format": "gif", **more}]}


@pytest.mark.parametrize(
    ("document", "words"),
    [
        (gif(tuning={"colours": 1}), "1 is too small: at least 2"),
        (gif(tuning={"colours": 999}), "999 is too large: at most 256"),
        (gif(tuning={"colours": "many"}), "'many' is not a whole number"),
        (gif(tuning={"colours": 8.5}), "8.5 is not a whole number"),
        (
            gif(tuning={"dither": "magic"}),
            "'magic' is none of 'none', 'diffusion', 'ordered' or 'noise'",
        ),
        (gif(tuning={"mood": 1}), "is unknown here"),
        (gif(alpha={"matte": "red"}), "'red' is not a colour: use hexadecimal digits, such as #262a2e"),
        (gif(name=5), "5 is not a text"),
        (gif(file_name="a/b.gif"), "'a/b.gif' cannot be used here"),
        ({"outputs": [{"format": "psd"}]}, "'psd' is none of 'gif', 'apng'"),
        ({"outputs": [{"format": "frames", "names": "gull"}]}, "'gull' is no name of frames"),
        ({"outputs": []}, "has fewer than 1 entries"),
        ({"outputs": [{"format": "gif", "name": "n" * 999}]}, "characters"),
        ({"framing": {"tone": {"gamma": 99}}}, "99 is too large: at most 5"),
        ({"gather": {"left_out": 5}}, "5 is not a list"),
        ({"rhythm": 5}, "5 is not an object"),
    ],
)
def test_what_is_wrong_is_said_in_plain_words(document: dict[str, Any], words: str) -> None:
    with pytest.raises(ValidationError) as found:
        Recipe.model_validate(document)
    said = in_words(found.value.errors()[0])
    assert said.startswith(words) or words in said
    assert re.search(r"Input|should|\{|\^|\[0-9", said) is None, said
