"""What a watch hears beside a live voice: numbers of short pieces, never sound; what they say
together; and whether something happened to the rig."""
