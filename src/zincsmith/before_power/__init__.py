"""What is known before anything is energised: of label and look-over, records of safety, zeros, and gates. No Qt."""
