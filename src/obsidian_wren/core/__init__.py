"""The job and its computation: numpy arrays in, frozen dataclasses out.

No files, no clock, no threads, no web. Arrays are float64, mono ``(n,)`` or ``(n, channels)``; full
scale is ±1; the sample rate is always the keyword ``rate_hz``. Names carry their unit (``_db``,
``_dbfs``, ``_hz``, ``_s``, ``_samples``).
"""
