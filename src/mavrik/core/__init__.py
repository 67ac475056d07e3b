"""Physics and rules of the trade. Pure: no web, no database, no network, no clock."""
