"""The coming hours, drawn to scale."""
