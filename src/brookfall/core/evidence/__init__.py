"""The result types: estimates, charts, tables, exhibits."""
