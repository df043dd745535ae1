"""What runs reached of the bodies of a library, and what is missing for the rest."""
