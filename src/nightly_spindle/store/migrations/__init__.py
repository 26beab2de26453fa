"""The schema's history: Alembic revisions, named and in order.

They ask no questions and import nothing of the program.
"""
