"""The failures that a flow itself comes to, as data: kind, message and, where one failed, the step."""

from typing import Any

#: A failure that may have had its effect all the same.
UNKNOWN = "outcome_unknown"
TIME_OVER = "time_over"


def over(words: str) -> dict[str, Any]:
    return {"kind": TIME_OVER, "message": words}


def unfit(words: str, step: str = "") -> dict[str, Any]:
    return {"kind": "value_does_not_fit", "message": words, **({"step": step} if step else {})}


def refused(step: str, words: str) -> dict[str, Any]:
    return {"kind": "not_allowed", "message": f'step "{step}": {words}', "step": step}
