"""The kinds of stage in their default order. Kept apart from the stages, so that naming one loads nothing that computes."""

from obsidian_wren.core.chain.parameters import PARAMETERS

STAGE_KINDS = tuple(PARAMETERS)
