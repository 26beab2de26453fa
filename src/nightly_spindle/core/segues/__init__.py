"""How one item passes into the next: rules, markers, joins, ducking."""
