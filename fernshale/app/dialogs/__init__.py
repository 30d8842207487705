"""Windows that open over the main window, one module each."""
