"""Game profiles, understood: rules, vocabulary, holes, converters, exemplars."""
