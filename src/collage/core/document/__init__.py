"""The material document: values, edits, history, and its MaterialX form."""
