#pragma once

#include "core/night/report/doubt.h"
#include "core/report/observation.h"

#include <vector>

namespace pathmark::night {

struct Recipe;
struct ReportedNight;

/// A measurement, and what the report says of it.
struct DoubtedLine {
    const MeasurementRecord* measured = nullptr;
    const report::Observation* said = nullptr;
};

/// What is held against itself, the sky, the clock and the lists.
struct DoubtedReport {
    std::vector<DoubtedLine> lines;
    const ReportedNight& night;
    const Recipe& recipe;
    report::ReportHead head;
};

/// Whether a line of a known body lies more than 1 arcsec and 4 of its own errors from the orbit.
bool isFarFromOrbit(const MeasurementRecord& m);

/// What speaks against the lines of a report. Each of the four looks for what its file is called after.
DoubtList reportDoubts(const DoubtedReport& report);

/// Each line by itself: its signal, its place against its orbit, its stars, its magnitude and band.
void doubtLines(const DoubtedReport& report, DoubtList& doubts);

/// Places against each other.
///
/// Model    A line is doubted that lies more than 0.5 arcsec and 5 errors from where the body's other lines lie against its orbit. All
///          lines of a frame are doubted where two bodies or more lie off together, against their own other lines; all lines where the
///          known bodies are early or late by one time, by more than half a second and 5 errors (each orbit good to 0.1 arcsec).
void doubtPlaces(const DoubtedReport& report, DoubtList& doubts);

/// Times.
///
/// Model    A line is doubted at whose time the Sun stood less than 6 degrees below the horizon; that lies in the future of this machine's
///          clock, up to ten days (made-up nights lie further off); whose header told whole seconds where that blurs the place by more than
///          0.05 arcsec and half its error; whose time is in doubt; that shares its time with another line of its body, or its stack's frames.
void doubtTimes(const DoubtedReport& report, DoubtList& doubts);

/// Bodies and their names.
///
/// Model    The lines of a body are doubted that has one or two; of a new one that was seen on one night, that a known one may be (by
///          where the known one may be, and how it moves), or whose name is none of the observer's own; that shares its light with
///          another body.
void doubtBodies(const DoubtedReport& report, DoubtList& doubts);

/// Where and with what it was observed, and by whom.
///
/// Model    All lines are doubted whose station's code is none, or is in none of the lists that there are; whose frames' headers, or the
///          list, have the station more than 2 km from where it was worked with; whose frames come from another telescope or camera than
///          most; that nobody observed.
void doubtStation(const DoubtedReport& report, DoubtList& doubts);

} // namespace pathmark::night
