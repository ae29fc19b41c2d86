"""How the tests handle the page, as a person would: by names that are read out."""

import re
from contextlib import suppress

from playwright.sync_api import expect

SLOW = 180_000


def step(page, name):
    page.get_by_role("navigation", name="Steps").get_by_role(
        "button", name=re.compile(name)
    ).click()


def leaf(page, name):
    page.get_by_role("tab", name=name, exact=True).click()


def button(page, name):
    return page.get_by_role("button", name=name, exact=True)


def status(page, name):
    return (
        page.get_by_role("navigation", name="Steps")
        .get_by_role("button", name=re.compile(name))
        .locator(".status")
    )


def number(page, name):
    """The number of a line in the slip, once all that was done is worked out."""
    expect(page.locator("main.older")).to_have_count(0, timeout=SLOW)
    text = (
        page.locator(".fact", has=page.get_by_role("heading", name=name, exact=True))
        .locator(".head .num")
        .inner_text()
    )
    return float(re.search(r"[−-]?[\d.]+", text).group().replace("−", "-"))


# Keeps at the page's root every text that the live mark of the head had, however short it stood
# there.
LOG_LIVE = r"""
    const seen = [];
    new MutationObserver(() => {
        const now = document.querySelector('header .live')?.innerText.trim().split(/\s/)[0];
        if (!now || now === seen.at(-1)) return;
        seen.push(now);
        document.documentElement.dataset.seen = seen.join(' ');
    }).observe(document, { subtree: true, childList: true, characterData: true });
"""


def seconds_taken(page, seconds):
    """Wait until a take of fifteen seconds has so many of them."""
    left = "|".join(str(n) for n in range(15 - seconds + 1))
    expect(page.get_by_role("timer")).to_have_text(re.compile(rf"^({left}) s left"))


def seconds_recorded(page, seconds):
    """Wait until the file in hand has so many seconds."""
    counted = "|".join(f"00:{n:02d}" for n in range(seconds, 60))
    expect(page.get_by_text(re.compile(rf"Recording, file \d+: ({counted})"))).to_be_visible()


def send_until_it_arrives(page, listener=None, press=None):
    """A marker in which a busy machine left gaps is sent again, as a person would: by its button,
    or by what ``press`` does."""
    arrives = (listener or page).get_by_text(re.compile(r"Treated voice arrives, \d+ ms"))
    for _ in range(9):
        press() if press else button(page, "Send the marker").click()
        with suppress(AssertionError):
            expect(arrives).to_be_visible(timeout=20_000)
            return
    expect(arrives).to_be_visible(timeout=20_000)
