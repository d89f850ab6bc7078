"""What is looked for on ports before an instrument is set up: settings, addresses, who sends where, whether
the cable is whole. Each search is a thread that shows its progress and its evidence, and can be stopped."""

from tidybench.recorder.searches.addresses import AddressSearch
from tidybench.recorder.searches.listen_on_all_ports import ListenOnAllPorts
from tidybench.recorder.searches.loop_back import LoopBackTest
from tidybench.recorder.searches.search import Search
from tidybench.recorder.searches.settings import SettingsSearch

__all__ = ["AddressSearch", "ListenOnAllPorts", "LoopBackTest", "Search", "SettingsSearch"]
