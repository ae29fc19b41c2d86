"""What a person does to the rig, its things, the computer."""
