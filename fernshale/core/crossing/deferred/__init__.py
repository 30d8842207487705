"""Code that was switched off and plugins that were left out: both are debts until they are back."""
