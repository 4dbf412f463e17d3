"""What would let more of the voice be followed: each way tried on recorded seconds, with what the intelligibility
index becomes by it (ANSI S3.5-1997, see ``measure/intelligibility``).

The ways are those of a mixing desk: less of what covers, a dip where it covers, a dip while the voice speaks, a
little more of the voice where its words live. None moves anything by more than a few decibels at a time.
"""
