"""Time: the two grids, working calendars on prefix sums, dates as they are typed and said."""
