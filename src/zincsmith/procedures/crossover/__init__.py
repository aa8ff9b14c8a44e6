"""The corner between the volts and the amps that an output holds, as a scope sees it."""
