"""The base of all values that are stored: typed, checked when made, never changed."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


class Frozen(BaseModel):
    """A value that cannot change; an edit makes a new one with `model_copy(update=...)`."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)
