"""Ripple by the AC range of a voltmeter: the way of a bench without a scope."""
