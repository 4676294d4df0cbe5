"""Kinds of rows that services hand out, named for those who may not reach into the store."""

from typing import TypeAlias

from nuvett.store import models

Series: TypeAlias = models.SeriesRow
Frame: TypeAlias = models.FrameRow
Reference: TypeAlias = models.ReferenceRow
