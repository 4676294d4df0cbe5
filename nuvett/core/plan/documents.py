"""Plans as kept documents: read with a sentence for what cannot be used."""

from typing import Any

from pydantic import ValidationError

from nuvett.core.errors import DocumentError
from nuvett.core.plan.frame_plan import PLAN_SCHEMA, FramePlan


def read_plan(data: Any) -> FramePlan:
    """A plan from its plain form. Raises DocumentError on a newer schema, unknown operations and damage."""
    try:
        return FramePlan.model_validate(data)
    except (ValidationError, KeyError, TypeError, AttributeError) as error:
        schema = data.get("schema_version") if isinstance(data, dict) else None
        if isinstance(schema, int) and schema > PLAN_SCHEMA:
            raise DocumentError(
                f"This plan has schema {schema}; this version reads schema {PLAN_SCHEMA}. Nothing was changed."
            ) from error
        unknown = _unknown_operation(error)
        if unknown:
            raise DocumentError(
                f"This plan asks for something this version does not know ({unknown}). Nothing was changed."
            ) from error
        raise DocumentError("This plan is damaged. The frame can be planned anew: carry the look once more.") from error


def _unknown_operation(error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return ""
    tags = (e["ctx"].get("tag", "") for e in error.errors() if e["type"] == "union_tag_invalid" and "ctx" in e)
    return str(next(tags, ""))
