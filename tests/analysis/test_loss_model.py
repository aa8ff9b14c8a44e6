"""Losses over load."""

import numpy as np
import pytest

from zincsmith.analysis.loss_model import fit_losses, fixed_weights, mode_change

AMPS = np.linspace(0.0, 2.5, 12)
LOSS = 0.8 + 0.9 * AMPS + 0.32 * AMPS**2


def test_the_parts_are_found_and_an_outlier_cannot_hide() -> None:
    model = fit_losses(AMPS, LOSS)
    assert (model.fixed_W, model.linear_V, model.square_ohm) == pytest.approx((0.8, 0.9, 0.32))
    odd = LOSS.copy()
    odd[-1] += 0.5  # the last point draws a fit to itself most
    model = fit_losses(AMPS, odd)
    assert np.argmax(np.abs(model.deleted)) == len(AMPS) - 1
    assert model.deleted[-1] == pytest.approx(0.5, rel=1e-9), "against the others it is all there"
    assert model.rest[-1] < 0.25
    assert np.dot(fixed_weights(AMPS), LOSS) == pytest.approx(0.8), "the fixed part alone"
    with pytest.raises(ValueError, match="three different"):
        fit_losses(np.array([1.0, 1.0, 2.0]), np.ones(3))


@pytest.mark.parametrize("seed", range(5))
def test_a_mode_change_is_found_and_noise_is_none(seed: int) -> None:
    rng = np.random.default_rng(seed)
    noise = 0.01 * rng.normal(size=len(AMPS))
    assert mode_change(AMPS, LOSS + noise, 0.01) is None
    stepped = LOSS + np.where(AMPS > 1.2, 0.6, 0.0) + noise
    found = mode_change(AMPS, stepped, 0.01)
    assert found is not None
    assert found[0] < 1.2 < found[1]
