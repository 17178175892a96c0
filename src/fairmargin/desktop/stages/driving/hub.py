"""The instruments of a drive: feeds started and stopped, what they bring kept on the disk and queued for the window."""

from __future__ import annotations

import queue
import sys
from typing import Final

from PySide6.QtCore import QObject, QTimer, Signal

from fairmargin.core.study.entry import words_of
from fairmargin.desktop.stages.driving.settings import InstrumentSettings, make_feeds
from fairmargin.exchange.files.faults import InvalidInput
from fairmargin.instruments.feed import Feed
from fairmargin.instruments.recording import Recorder
from fairmargin.instruments.samples import Clock, Item, Source

TICK_MS: Final = 200
SWITCH_S: Final = 0.001
USUAL_SWITCH_S: Final = 0.005  # Python's own
TOLD: Final = 6


class InstrumentHub(QObject):
    """Feeds by their source; a feed's thread writes to the disk before the window sees anything."""

    changed = Signal()  # a few times a second while something is under way

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.clock = Clock()
        self.feeds: dict[Source, Feed] = {}
        self.says: list[str] = []  # newest last
        self._queue: queue.SimpleQueue[Item] = queue.SimpleQueue()
        self._recorder: Recorder | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(TICK_MS)

    def connect_instruments(self, settings: InstrumentSettings) -> bool:
        """Start the feeds of the settings; faults are told."""
        self.disconnect_instruments()
        try:
            self.feeds = make_feeds(settings, self.clock, self._arrived)
        except (ValueError, InvalidInput) as error:
            self._say(words_of(error))
            return False
        if self.clock.rate > 1.0:
            # At a rehearsal's rate a feed must not wait for the window's long breaths.
            sys.setswitchinterval(SWITCH_S)
        for feed in self.feeds.values():
            feed.start()
        self._timer.start()
        self.changed.emit()
        return True

    def disconnect_instruments(self) -> None:
        """Stop every feed."""
        for feed in self.feeds.values():
            feed.let_go()
        for feed in self.feeds.values():
            feed.stop()
        self.feeds = {}
        sys.setswitchinterval(USUAL_SWITCH_S)
        self.changed.emit()

    def _arrived(self, item: Item) -> None:
        """Take an item in the feed's thread: on the disk first, to the screen after."""
        recorder = self._recorder
        if recorder is not None:
            recorder.put(item)
        self._queue.put(item)

    def value(self, name: str, *sources: Source) -> float | None:
        """Newest value of a quantity from the first source that has one."""
        for source in sources or ("gps", "vehicle", "weather"):
            feed = self.feeds.get(source)
            found = feed.value(name) if feed is not None else None
            if found is not None:
                return found
        return None

    def _say(self, words: str) -> None:
        self.says = [*self.says, words][-TOLD:]
        self.changed.emit()
