"""What a plan's fields are called where people read them."""

from __future__ import annotations

NAMES = {
    "power_w": "Power", "current_a": "Current", "resistance_ohm": "Resistance", "rest": "at rest", "play": "in play",
    "peak": "at the peak", "output_v": "Output", "output_resistance_ohm": "Output resistance", "quiescent_a": "Quiescent current",
    "switch_current_a": "Switch current", "output_limit_a": "Output limit", "inductance_h": "Inductor",
    "frequency_hz": "Switching frequency", "lockout_v": "Lock-out", "input_max_v": "Highest input", "dropout_v": "Drop-out",
    "thermal_k_per_w": "Warmth per watt", "off_current_a": "Current when off", "efficiency": "Efficiency", "drop_v": "Junction drop",
    "label_ah": "Label capacity", "measured_ah": "Measured capacity", "health": "State of health", "full_v": "Full", "empty_v": "Empty",
    "max_charge_a": "Most charge current", "max_discharge_a": "Most discharge current", "low_v": "Least volts", "high_v": "Most volts",
    "absolute_max_v": "Volts that destroy it", "length_m": "Length, one way", "awg": "Gauge", "section_mm2": "Section",
    "temperature_c": "Temperature", "rating_a": "Rating", "voltage_v": "Volts", "current_limit_a": "Most current",
    "cable_ohm": "Cable, out and back", "own_resistance_ohm": "Own resistance", "termination_a": "Termination current",
    "precharge_below_v": "Pre-charge below", "precharge_a": "Pre-charge current", "path_resistance_ohm": "Power path",
    "foldback_c": "Folds back at", "cutoff_cell_v": "Cut-off of a cell", "trip_a": "Trips at", "link_resistance_ohm": "Links of the cells",
    "cost": "Cost", "mass_g": "Mass", "thickness_mm": "Thickness", "width_mm": "Width", "cold_b_k": "Cold constant",
    "swelling": "Swelling", "self_discharge_per_month": "Self-discharge a month", "peak_discharge_a": "Peak discharge current",
    "copper_um": "Copper", "trace_width_mm": "Width of the trace", "insulation_c": "Insulation stands", "run_m": "Run",
    "junction_max_c": "Junction stands", "restart_v": "Starts again", "dropout_ohm": "Path when dropped out",
    "hours": "Hours wanted", "charge_hours": "Hours on the charger", "series": "Cells in series", "parallel": "Cells in parallel",
    "name": "Name", "ocv_v": "Measured open-circuit voltage", "position": "Position", "quoted_at": "Quoted at", "share": "Share it governs",
    "capacitance_f": "Capacitance", "esr_ohm": "Series resistance", "rating_v": "Rating", "leakage_a": "Leakage",
    "cells_wh": "Energy of its cells", "least_load_a": "Stays on above", "balance_a": "Balancing current",
}  # fmt: skip
