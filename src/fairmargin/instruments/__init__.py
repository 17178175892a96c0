"""Live instruments (GPS, vehicle bus, weather station), their recording, and stand-ins for a rehearsal.

Nothing here knows the screen: feeds run in threads of their own and hand out samples and troubles.
"""
