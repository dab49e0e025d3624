#pragma once

#include "desk/session/night_snapshot.h"

#include <optional>
#include <string>

// What decisions make of a snapshot. The night file's history is kept in step by NightSession, on a worker.
namespace pathmark::desk {

/// Adds an act to the history, as NightFile::decide does, and lays it over what it is about.
void decide(NightSnapshot& snapshot, night::Act act, const std::string& at);

/// Takes back the latest act in force, or makes the earliest undone one again; nullopt: there is none.
std::optional<night::Act> undo(NightSnapshot& snapshot);
std::optional<night::Act> redo(NightSnapshot& snapshot);

/// The act that undo() would take back, that redo() would make again; null: none.
const night::Act* latestInForce(const NightSnapshot& snapshot);
const night::Act* earliestUndone(const NightSnapshot& snapshot);

/// Lays the whole history over a snapshot that was just read.
void applyAll(NightSnapshot& snapshot);

/// Groups, matches and odd frames again from the frames, as the observer decided.
void rematch(NightSnapshot& snapshot);

/// Counts a measurement of a body.
void count(BodyView& body, const night::MeasurementRecord& measurement);

} // namespace pathmark::desk
