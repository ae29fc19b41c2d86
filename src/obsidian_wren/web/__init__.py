"""The web side: blueprints, models, the event stream, and the built page.

It calls the services and nothing else.
"""
