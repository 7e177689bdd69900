"""Sound in blocks: channels, sample rate, filters, and sound set aside on disk. The lowest floor of audio."""
