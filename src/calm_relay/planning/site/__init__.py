"""The site through a year: weather, arrays, demand, the battery place."""
