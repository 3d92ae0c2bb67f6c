"""An agent's life, as the service sees it."""
