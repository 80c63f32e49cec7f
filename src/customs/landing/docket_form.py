"""What a docket must look like before anything in it is believed."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

Count = Annotated[int, Field(ge=0, strict=True)]
Triple = tuple[float, float, float]


class _Form(BaseModel):
    model_config = ConfigDict(extra="allow", allow_inf_nan=False)


class _Box(_Form):
    low: Triple | None = None
    high: Triple | None = None


class _File(_Form):
    path: str
    size: Count
    sha256: str
    kind: str = ""


class _Model(_Form):
    path: str
    after: dict[str, Count] = {}
    names: dict[str, list[str]] = {}
    box: _Box = _Box()


class _Row(_Form):
    verdict: str
    waived: str = ""


class _Docket(_Form):
    asset: str
    sheet: dict[str, Any]
    before: dict[str, Count] = {}
    after: dict[str, Count]
    names: dict[str, list[str]]
    box: _Box
    models: list[_Model]
    files: list[_File]
    requirements: dict[str, Count] = {}
    ledger: list[_Row] = []
    page: str = ""
    digest: str


def form_problem(body: Any) -> str:
    """Why `body` is no docket, with the place, or ""."""
    try:
        _Docket.model_validate(body)
    except ValidationError as problem:
        first = problem.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        return f"{where}: {first['msg']}" if where else str(first["msg"])
    return ""
