"""A plan: tasks with dates, why they have them, and how a template becomes one."""
