"""SQLite as a real database: migrations as .sql, one module of plain-SQL functions per object."""
