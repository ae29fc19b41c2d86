"""What the page is told, one module a step."""
