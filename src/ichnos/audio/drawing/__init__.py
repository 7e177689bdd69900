"""Pictures of sound, all in one hand: ``style`` has the manners, the others what is drawn."""
