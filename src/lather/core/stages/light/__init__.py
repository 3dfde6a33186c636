"""Light laid down in stops, and how much of it skin needs: what Even and Sculpt share."""
