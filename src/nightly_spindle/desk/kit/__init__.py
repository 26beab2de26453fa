"""What every place of the desk is made of."""
