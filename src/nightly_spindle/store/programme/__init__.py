"""A whole station read into what the sequencer looks things up in."""
