"""Delivers messages to people and their programs: webhook, mail, syslog, folder."""
