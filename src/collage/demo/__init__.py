"""The potting shed: all sample data, made from seeds, and the sample projects."""
