"""Standard sensor curves: thermocouples, resistance thermometers, thermistors."""
