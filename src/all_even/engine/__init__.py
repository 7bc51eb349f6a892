"""From session to sound: the plan, the offline render, the player, and figures of what arrives."""
