"""Tables, figures and files made of runs. Figures take and return Matplotlib axes; nothing here fires or judges."""
