"""What people do with templates: drafts, editions, the library, files, rehearsals."""
