"""The recurrent mask is that of the model whose numbers it was given, which a general runtime runs
beside it."""

from pathlib import Path

import numpy as np
import onnxruntime

from moving_noise import moving
from obsidian_wren.core.chain.recurrent_mask import RecurrentMask
from signals import RATE, voice

MODEL = Path(__file__).resolve().parents[1] / "data" / "recurrent_mask.onnx"
FRAME, HOP = 1536, 768


def spectra_of(sound):
    """Frames of 32 ms every 16 ms, their lowest 257 bins, on the scale of 512 samples at 16 kHz."""
    frames = np.lib.stride_tricks.sliding_window_view(sound, FRAME)[::HOP]
    window = np.sqrt(0.5 - 0.5 * np.cos(2.0 * np.pi * np.arange(FRAME) / FRAME))
    return np.fft.rfft(frames * window, axis=1)[:, :257] * (512 / FRAME)


def by_the_runtime(spectra):
    """What the model makes of spectra ``(frames, 257)``."""
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    session = onnxruntime.InferenceSession(str(MODEL), options)
    given, *caches = session.get_inputs()
    kept = {each.name: np.zeros(each.shape, np.float32) for each in caches}
    out = []
    for frame in spectra:
        sound = np.stack([frame.real, frame.imag], axis=-1)[None, :, None, :].astype(np.float32)
        made, *after = session.run(None, {given.name: sound, **kept})
        kept = dict(zip(kept, after, strict=True))
        out.append(made[0, :, 0, 0] + 1j * made[0, :, 0, 1])
    return np.array(out)


def test_it_is_the_model_frame_by_frame():
    street = moving("street", 5, 6.0)
    sound = voice()[: 6 * RATE] + 0.02 * street / np.sqrt(np.mean(street**2))
    spectra = np.ascontiguousarray(spectra_of(sound))
    real, imaginary = RecurrentMask().masks(spectra, scale=1.0)
    ours, theirs = spectra * (real + 1j * imaginary), by_the_runtime(spectra)
    assert np.abs(theirs).max() > 0.1
    assert np.abs(ours - theirs).max() < 1e-4
    # It takes something, so that a mask of ones would be told.
    assert np.abs(ours - spectra).max() > 0.01


def test_frames_one_by_one_are_the_same_mask():
    spectra = np.ascontiguousarray(spectra_of(voice()[:RATE]))
    whole, parts = RecurrentMask(), RecurrentMask()
    together = whole.masks(spectra, scale=1.0)
    each = [parts.masks(spectra[at : at + 1], scale=1.0) for at in range(len(spectra))]
    assert np.array_equal(together, np.concatenate(each, axis=1))


def test_spectra_that_end_lower_are_looked_at_as_far_as_they_go():
    spectra = spectra_of(voice()[:RATE])
    spectra[:, 129:] = 0.0
    narrow, wide = (np.ascontiguousarray(each) for each in (spectra[:, :129], spectra))
    one, other = (RecurrentMask().masks(each, scale=1.0) for each in (narrow, wide))
    assert np.allclose(one, other, atol=1e-3)
