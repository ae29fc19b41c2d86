"""How the tests handle the page, as a person would: by names that are read out."""

import re

SLOW = 60_000


def step(page, name):
    page.get_by_role("navigation", name="Steps").get_by_role("button", name=re.compile(name)).click()


def leaf(page, name):
    page.get_by_role("tab", name=name, exact=True).click()


def button(page, name):
    return page.get_by_role("button", name=name, exact=True)


def status(page, name):
    return page.get_by_role("navigation", name="Steps").get_by_role("button", name=re.compile(name)).locator(".status")


def number(page, name):
    """The number of a line in the slip."""
    text = page.locator(".fact", has=page.get_by_role("heading", name=name, exact=True)).locator(".head .num").inner_text()
    return float(re.search(r"[−-]?[\d.]+", text).group().replace("−", "-"))
