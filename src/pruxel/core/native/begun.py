"""Imported by a process that workers are forked from: what the first work of a process sets up is then there.

That is half a second, which each worker would spend anew: the first kernel, those of the steps that batches use most,
and how seldom garbage is looked for.
"""

from __future__ import annotations

from pruxel.core.base.garbage import look_seldom
from pruxel.core.native.warm import warm_steps

look_seldom()
warm_steps()
