"""What a mix is as a whole, by figures that no single move is fitted on."""
