"""PostgreSQL through SQLAlchemy: models, queries, migrations and the guards in the database itself."""
