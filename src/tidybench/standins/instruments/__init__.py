"""The stand-ins of the pump test shop. Their command sets are made up, or a standard's where it says so."""

from tidybench.standins.device import Device
from tidybench.standins.instruments.bearing_monitor import BearingMonitor
from tidybench.standins.instruments.clearance_gauge import ClearanceGauge
from tidybench.standins.instruments.flow_meter import LoopFlowMeter
from tidybench.standins.instruments.loop_back_plug import LoopBackPlug
from tidybench.standins.instruments.power_analyser import PowerAnalyser
from tidybench.standins.instruments.pressure_pair import PressurePair
from tidybench.standins.instruments.seal_rig import SealRig
from tidybench.standins.instruments.shaft_pickup import ShaftPickup
from tidybench.standins.instruments.sump_sonde import SumpSonde
from tidybench.standins.instruments.valve_positioner import ValvePositioner
from tidybench.standins.instruments.winding_tester import WindingTester

ALL: tuple[type[Device], ...] = (
    LoopFlowMeter,
    PowerAnalyser,
    PressurePair,
    ShaftPickup,
    SumpSonde,
    BearingMonitor,
    ValvePositioner,
    ClearanceGauge,
    WindingTester,
    SealRig,
    LoopBackPlug,
)

__all__ = [
    "ALL",
    "BearingMonitor",
    "ClearanceGauge",
    "LoopBackPlug",
    "LoopFlowMeter",
    "PowerAnalyser",
    "PressurePair",
    "SealRig",
    "ShaftPickup",
    "SumpSonde",
    "ValvePositioner",
    "WindingTester",
]
