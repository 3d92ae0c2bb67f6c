"""How a build's content is laid out for its players: what lies together, in which order, packed how."""
