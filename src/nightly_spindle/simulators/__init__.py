"""Simulated devices and services that ship with the product. No Qt."""
