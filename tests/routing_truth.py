"""What must never be, by its plain definition: every way is walked, so nothing of the program's
own search is trusted."""


def _after(made, here, *, sure):
    """Where sound goes on from a source or a listener; ``sure``: only where what is heard is
    played on for certain."""
    listener = made.destinations.get(here)
    if listener is None:
        return {send.destination for send in made.sends if send.source == here}
    return (
        {source for source in listener.plays_into if source in made.sources}
        if listener.passes_on or not sure
        else set()
    )


def ways(made, start, end, *, sure):
    """Every way from one place to another that passes no place twice; from a place to itself,
    every round."""
    found, waiting = [], [(start,)]
    while waiting:
        path = waiting.pop()
        for key in _after(made, path[-1], sure=sure):
            if key == end:
                found.append((*path, key))
            elif key not in path:
                waiting.append((*path, key))
    return found


def copies(made, source, listener):
    """How often one source is heard by a listener at once: by every sure way, and by each of its
    forms where it is sent straight."""
    forms = [send for send in made.sends if (send.source, send.destination) == (source, listener)]
    return len(ways(made, source, listener, sure=True)) + max(0, len(forms) - 1)


def faults(made):
    """Who hears themselves, and who hears something more than once."""
    own = {
        ("own", listener)
        for listener in made.destinations
        if ways(made, listener, listener, sure=False)
    }
    back = {
        ("own", send.destination)
        for send in made.sends
        if made.sources[send.source].of == send.destination
    }
    several = {
        ("several", source, listener)
        for source in made.sources
        for listener in made.destinations
        if copies(made, source, listener) > 1
    }
    return own | back | several
