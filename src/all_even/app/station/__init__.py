"""An opened station, wherever it is shown: its drawings, the sound it works on, its settings, the first five first."""
