"""What a person can do to a project: each act is one undoable change with a name, a label and help."""
