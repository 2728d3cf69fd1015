from tides import Constituent, height

M2 = Constituent("M2", amplitude=1.8, speed=28.984, phase=0.0)


def test_high_water_at_the_epoch():
    assert height([M2], 0) == 1.8


def test_low_water_half_a_period_later():
    assert abs(height([M2], 180 / 28.984) + 1.8) < 1e-9
