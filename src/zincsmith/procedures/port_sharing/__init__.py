"""Sharing: what each port gives beside which others, and what a neighbour notices."""
