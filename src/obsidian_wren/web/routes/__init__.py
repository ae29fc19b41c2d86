"""The API, one module a step: what is sent, what is done, what is answered."""
