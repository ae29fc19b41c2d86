"""Ports: what the program asks of the outside. Stand-ins and real devices implement them."""
