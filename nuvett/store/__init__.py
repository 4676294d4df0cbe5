"""Where things are kept: PostgreSQL through SQLAlchemy, pictures as blobs addressed by content."""
