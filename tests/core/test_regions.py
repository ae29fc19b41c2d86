"""The trade's words for the parts of a voice."""

from obsidian_wren.core.derive.regions import region, region_names


def test_regions_cover_the_voice_in_order():
    words = [region(hz) for hz in (40, 90, 200, 300, 600, 1200, 3000, 7000, 12000)]
    assert words == [
        *("Rumble", "Low end", "Warmth", "Mud", "Boxiness", "Nasal", "Presence", "Sibilance"),
        "Air",
    ]


def test_bands_that_share_a_region_say_which_of_it_they_are():
    assert region_names([300.0, 150.0, 220.0, 7000.0]) == (
        *("Mud", "Warmth, lower", "Warmth, upper", "Sibilance"),
    )
    four = region_names([1700.0, 4000.0, 2000.0, 3000.0])
    assert four == ("Presence 1", "Presence 4", "Presence 2", "Presence 3")
