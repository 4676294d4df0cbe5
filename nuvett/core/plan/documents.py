"""Plans as kept documents: read with a sentence for what cannot be used."""

from typing import Any

from pydantic import ValidationError

from nuvett.core.errors import DocumentError, TableError
from nuvett.core.plan.frame_plan import PLAN_SCHEMA, AnyOperation, FramePlan
from nuvett.core.plan.tables import TableOperation
from nuvett.core.table.held import FindTable


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
                f"This plan uses something that this version does not know ({unknown}). Nothing was changed."
            ) from error
        raise DocumentError("This plan is damaged. The frame can be planned anew: carry the look once more.") from error


def _unknown_operation(error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return ""
    tags = (e["ctx"].get("tag", "") for e in error.errors() if e["type"] == "union_tag_invalid" and "ctx" in e)
    return str(next(tags, ""))


def with_tables(plan: FramePlan, find: FindTable) -> FramePlan:
    """A plan that was read, with the colours of its lookup tables at hand. Raises TableError for one that is gone."""
    if '"kind":"table"' not in plan.model_dump_json():
        return plan

    def found(operations: tuple[AnyOperation, ...]) -> tuple[AnyOperation, ...]:
        return tuple(_found(o, find) if isinstance(o, TableOperation) else o for o in operations)

    groups = tuple(g.model_copy(update={"operations": found(g.operations)}) for g in plan.groups)
    layers = tuple(one.model_copy(update={"operations": found(one.operations)}) for one in plan.layers)
    return plan.model_copy(update={"groups": groups, "layers": layers})


def _found(operation: TableOperation, find: FindTable) -> TableOperation:
    table = find(operation.table.digest)
    if table is None:
        raise TableError("A lookup table that this picture was made with is not kept here any more; bring it in again.")
    return operation.model_copy(update={"table": table})
