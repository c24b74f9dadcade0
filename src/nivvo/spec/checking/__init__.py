"""From plain tables to models: each validated once, names that must meet, and every problem told with its place."""
