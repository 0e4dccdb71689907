"""Activities and links on working calendars: early and late dates, slack, drivers."""
