"""What validation found, in words for people."""

from collections.abc import Mapping
from typing import Any

_WORDS = {
    "greater_than_equal": "{input} is too small: at least {ge}",
    "greater_than": "{input} is too small: more than {gt}",
    "less_than_equal": "{input} is too large: at most {le}",
    "less_than": "{input} is too large: less than {lt}",
    "literal_error": "{input} is none of {expected}",
    "string_too_long": "is longer than {max_length} characters",
    "string_too_short": "is shorter than {min_length} characters",
    "too_long": "has more than {max_length} {parts}",
    "too_short": "has fewer than {min_length} {parts}",
    "missing": "is missing",
    "union_tag_invalid": "'{tag}' is none of {expected_tags}",
    "union_tag_not_found": "says no format",
    "extra_forbidden": "is unknown here",
    "int_parsing": "{input} is not a whole number",
    "int_type": "{input} is not a whole number",
    "int_from_float": "{input} is not a whole number",
    "float_parsing": "{input} is not a number",
    "float_type": "{input} is not a number",
    "bool_parsing": "{input} is neither true nor false",
    "string_type": "{input} is not a text",
    **dict.fromkeys(("list_type", "tuple_type", "set_type", "frozen_set_type"), "{input} is not a list"),
    **dict.fromkeys(("dict_type", "model_type", "model_attributes_type"), "{input} is not an object"),
}
"""By what pydantic calls an error."""
_PATTERNS = {
    "names": "{input} is no name of frames: a run of # for the digits, such as gull_####, and no /",
    "sha256": "{input} is not a SHA-256 in 64 hexadecimal digits",
}
"""Texts that have to look like something, by their field."""
_COLOUR = "{input} is not a colour: use hexadecimal digits, such as #262a2e"
_LONGEST = 60
"""Characters of a value that is told."""


def in_words(error: Mapping[str, Any]) -> str:
    """One of the errors of a ``ValidationError``: what is wrong, without saying where."""
    kind = str(error["type"])
    if kind == "string_pattern_mismatch":
        last = next((str(part) for part in reversed(error["loc"]) if isinstance(part, str)), "")
        looks_like = str(error.get("ctx", {}).get("pattern", ""))
        words = _COLOUR if "0-9a-f]{6}" in looks_like else _PATTERNS.get(last, "{input} cannot be used here")
    else:
        words = _WORDS.get(kind, str(error["msg"]).removeprefix("Value error, "))
    told = {key: _number(value) for key, value in error.get("ctx", {}).items()}
    shown = repr(error.get("input"))
    told["parts"] = "characters" if isinstance(error.get("input"), str) else "entries"
    return _filled(words, {**told, "input": shown if len(shown) <= _LONGEST else f"{shown[:_LONGEST]}…"})


def _number(value: Any) -> Any:
    return f"{value:g}" if isinstance(value, float) else value


def _filled(words: str, values: Mapping[str, Any]) -> str:
    for key, value in values.items():
        words = words.replace(f"{{{key}}}", str(value))
    return words
