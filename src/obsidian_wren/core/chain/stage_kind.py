"""What is known of a kind of stage, in one record.

Source: by definition; each kind's rule names its own.
"""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any, Literal

from obsidian_wren.core.chain.parameters import Parameter

if TYPE_CHECKING:
    from collections.abc import Callable

    from obsidian_wren.core.chain.stage import StageSpec

Step = Literal["clean", "tone", "steady"]


# Equal is only the record itself, so that it is quickly found where something hangs on all kinds.
@dataclass(frozen=True, eq=False)
class StageKind:
    """A kind of stage.

    ``step`` and ``leaf`` say where a person finds it; ``node`` names the answer of the dependency
    graph that it is kept with. ``spec`` and ``rule`` are ``module:name`` in ``core.chain`` and
    ``core.derive``, or the things themselves. ``before_tone``: it can be derived before the passage
    is read; ``steadies``: it comes behind the tone; ``repeats``: a person may use further ones;
    ``banded``: its settings are bands; ``ends``: the point of the level diagram behind it;
    ``also_on``: kinds whose pins its rule stands on; ``stays_on``: why it cannot be switched off;
    ``weighs_floor``: its rule asks what the stages behind it will do to the room at ``rest``, or to
    what sounds while gates are ``open``; ``shapes_tone``: a filter that stands still, so what it
    does is a curve over frequency; ``cleans``: a program that cleans as well would work
    against it; ``character``: parameters that are the person's and travel in a file; ``by_taste``:
    being on or off is the person's as well.
    ``version`` is counted up when the rule answers otherwise, so that what it derived before shows
    as outdated.
    """

    kind: str
    title: str
    step: Step
    leaf: str
    node: str
    spec: str | type[StageSpec]
    rule: str | Callable[..., Any]
    parameters: tuple[Parameter, ...] = ()
    before_tone: bool = False
    steadies: bool = False
    repeats: bool = False
    banded: bool = False
    ends: str | None = None
    also_on: tuple[str, ...] = ()
    stays_on: str | None = None
    weighs_floor: Literal["", "rest", "open"] = ""
    shapes_tone: bool = False
    cleans: bool = False
    character: tuple[str, ...] = ()
    by_taste: bool = False
    version: int = 1

    def spec_class(self) -> type[StageSpec]:
        """The class of its settings; loads what computes."""
        found: type[StageSpec] = _named("chain", self.spec)
        return found

    def rule_function(self) -> Callable[..., Any]:
        """The rule that derives it, from a take_set and pins; loads what computes."""
        found: Callable[..., Any] = _named("derive", self.rule)
        return found

    def parameter(self, name: str) -> Parameter:
        """One of its parameters. Raises KeyError."""
        for found in self.parameters:
            if found.name == name:
                return found
        raise KeyError(f"{self.kind}.{name}")


def _named(package: str, path: Any) -> Any:
    if not isinstance(path, str):
        return path
    module, _, name = path.partition(":")
    return getattr(import_module(f"obsidian_wren.core.{package}.{module}"), name)
