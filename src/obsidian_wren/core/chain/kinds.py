"""The kinds of stage in their default order. Kept apart from the stages, so that naming one loads nothing that computes."""

STAGE_KINDS = ("highpass", "equalizer", "gain", "limiter")
