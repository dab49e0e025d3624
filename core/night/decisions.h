#pragma once

#include "core/calibrate/match.h"
#include "core/night/calibration_settings.h"
#include "core/night/records.h"
#include "core/picture/layered_picture.h"
#include "core/stack/smooth_skies.h"

#include <map>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <utility>
#include <variant>
#include <vector>

// What the observer decides about a night. Every decision is a value that names what it is about by its identity, so it
// means the same after a rerun, a restart, or in a folder that was moved.
namespace pathmark::night {

/// A frame left out of everything that is made, or taken back in.
struct LeaveOut {
    FrameId frame;
    bool out = true;
    std::string rule; ///< in words: why; empty: by hand
};

/// A measurement kept, parked or dropped; nullopt: what the run made of it.
struct JudgeMeasurement {
    std::string measurement; ///< MeasurementRecord::id
    std::optional<MeasurementState> state;
    std::string reason;
};

/// Another group for a role of a series of lights, no group, or again the one that is found.
struct ChooseMaster {
    SeriesId series;
    calibrate::Role role = calibrate::Role::Dark;
    bool byHand = true; ///< false: as it is found
    SeriesId group;     ///< not known: nothing is to be used
};

/// What a frame is, whatever its header says; nullopt: what the header says.
struct SetKind {
    FrameId frame;
    std::optional<frame::FrameKind> kind;
};

/// A solution laid over a frame by hand, or taken away again.
struct FitByHand {
    FrameId frame;
    std::optional<frame::Wcs> wcs;
    std::vector<FrameId> offeredTo; ///< frames of its series that may try it, moved
};

/// An observation taken out of the fit of its body's orbit, or back in.
struct SwitchObservation {
    std::string observation; ///< see BodyOrbitCase
    bool off = true;
};

/// What is done about the background of all lights; nullopt: what the recipe says.
struct SetBackground {
    std::optional<BackgroundChoice> choice;
};

/// A disc of a frame that is never taken for sky, see ProtectedSky; nullopt: none.
struct ProtectDisc {
    FrameId frame;
    std::optional<calibrate::ProtectedDisc> disc; ///< pixels of the raw frame
};

/// Which frames of a series make a stack each; empty: as many as the recipe says.
struct BracketStacks {
    SeriesId series;
    std::vector<std::vector<FrameId>> brackets; ///< in order of time; no frame is in two
};

/// What a body does beyond its orbit: its distance from the orbit's place at a time, and how much faster it moves.
struct BeyondOrbit {
    Utc at;
    double eastArcsec = 0.0; ///< on the sky
    double northArcsec = 0.0;
    double eastArcsecPerMin = 0.0;
    double northArcsecPerMin = 0.0;

    /// Where it is when its orbit has it at `orbit`.
    [[nodiscard]] SkyPos from(const SkyPos& orbit, const Utc& time) const;

    friend bool operator==(const BeyondOrbit&, const BeyondOrbit&) = default;
};

/// On what motion the frames of a series are added for a body; nullopt: on that of its orbit.
struct AddOnMotion {
    BodyId body;
    SeriesId series;
    std::optional<BeyondOrbit> beyond;
};

/// A light that was measured by hand and is kept under a name, see hand_measurements.h; no record: taken away again.
struct KeepByHand {
    std::string measurement; ///< its id
    HandModel model = HandModel::Light;
    std::optional<MeasurementRecord> record;
};

/// A star of the catalogue that is not to serve as comparison for light curves, or may again.
struct SwitchStar {
    std::int64_t star = 0;
    bool off = true;
};

/// The file of the set of stars that light curves go by; empty: stars are chosen by how steady they are.
struct UseStarSet {
    std::string path;
};

/// How the picture of a comet is shown; no look: as it stretches itself.
struct SetLook {
    BodyId body;
    std::optional<picture::Look> look;
};

/// A filter that was made a plane of a picture by hand: 0 to 2, red, green, blue, or -1, luminance.
struct PlaneOfFilter {
    std::string filter;
    int plane = 0;

    friend bool operator==(const PlaneOfFilter&, const PlaneOfFilter&) = default;
};

/// How the picture of a comet is made, where an observer says so.
struct PictureMaking {
    std::optional<int> skyDegree;          ///< of the polynomials that are its frames' skies
    std::vector<stack::SkyStroke> strokes; ///< what is light, and what is sky
    std::vector<PlaneOfFilter> planes;     ///< none: by their names

    friend bool operator==(const PictureMaking&, const PictureMaking&) = default;
};

/// It is joined anew by the next run; none: as it makes itself.
struct SetPictureMaking {
    BodyId body;
    std::optional<PictureMaking> making;
};

/// A sweep over the frames of a series that every run makes; or no longer.
struct SweepSeries {
    SeriesId series;
    SweepWish wish;
    bool wanted = true;
};

/// What speaks against a line of the report is known and no reason to hold it back; or is one again.
struct WaveThrough {
    std::string line;  ///< MeasurementRecord::id
    std::string doubt; ///< see Doubt::key
    std::string reason;
    bool waved = true;
};

/// What the report says of a line instead of what was measured.
struct LineCorrection {
    std::optional<std::string> band;
    bool withoutMagnitude = false;
    std::optional<double> clockSeconds; ///< that its time may be off by
    std::string remark;

    friend bool operator==(const LineCorrection&, const LineCorrection&) = default;
};

/// A line is reported otherwise than it was measured; no correction: as it was.
struct CorrectLine {
    std::string line; ///< MeasurementRecord::id
    std::optional<LineCorrection> correction;
};

/// The observer's own name of something that no list knows, as reports have it; empty: the name it was given.
struct NameCandidate {
    BodyId body;
    std::string name;
};

using Decision = std::variant<LeaveOut,
                              JudgeMeasurement,
                              ChooseMaster,
                              SetKind,
                              FitByHand,
                              SwitchObservation,
                              SetBackground,
                              ProtectDisc,
                              BracketStacks,
                              AddOnMotion,
                              KeepByHand,
                              SwitchStar,
                              UseStarSet,
                              SetLook,
                              SetPictureMaking,
                              SweepSeries,
                              WaveThrough,
                              CorrectLine,
                              NameCandidate>;

/// Decisions that were made together, and are taken back together.
struct Act {
    std::string words; ///< what was done, for people
    std::vector<Decision> decisions;
};

/// A solution that the observer laid over a frame.
struct HandSolution {
    frame::Wcs wcs;
    std::vector<FrameId> offeredTo;

    [[nodiscard]] bool isOfferedTo(const FrameId& other) const;
};

/// What the observer said about the match of masters, by series of lights.
using MatchDecisions = std::map<SeriesId, std::vector<calibrate::Override>>;

/// An act of the history.
struct PastAct {
    int number = 0;
    std::string at; ///< ISO UTC
    Act act;
    bool inForce = true; ///< false: undone, can be redone
};

/// Everything that is decided at one moment.
struct Decided {
    std::map<FrameId, std::string> leftOut; ///< with the rule in words; empty: by hand
    std::map<std::string, JudgeMeasurement> measurements;
    MatchDecisions masters;
    std::map<FrameId, frame::FrameKind> kinds;
    std::map<FrameId, HandSolution> handFits;
    std::set<std::string> observationsOff;
    std::optional<BackgroundChoice> background;
    std::map<FrameId, calibrate::ProtectedDisc> protectedDiscs;
    std::map<SeriesId, std::vector<std::vector<FrameId>>>
        brackets;                                               ///< of stacks, see BracketStacks
    std::map<std::pair<BodyId, SeriesId>, BeyondOrbit> motions; ///< of stacks, see AddOnMotion
    std::map<std::string, KeepByHand> byHand;                   ///< measurements, by their id
    std::set<std::int64_t> starsOff;                            ///< of comparison stars
    std::string starSet;                               ///< path of a set of stars; empty: none
    std::map<BodyId, picture::Look> looks;             ///< of pictures
    std::map<BodyId, PictureMaking> makings;           ///< likewise
    std::map<SeriesId, std::vector<SweepWish>> sweeps; ///< in the order of asking
    std::map<std::pair<std::string, std::string>, std::string>
        wavedThrough; ///< reasons, by line and doubt, see WaveThrough
    std::map<std::string, LineCorrection> corrections; ///< of lines of the report
    std::map<BodyId, std::string> ownNames;            ///< of candidates

    /// Takes a decision in: the latest about a thing counts.
    void apply(const Decision& decision);
    void apply(const Act& act);

    /// What the acts in force make together. Taking an act back is leaving it out here: nothing has to be kept of what
    /// stood before it, so nothing of that can be wrong.
    static Decided after(std::span<const PastAct> history);

    /// The settings of a calibration with what was decided laid over.
    [[nodiscard]] CalibrationSettings over(CalibrationSettings settings) const;

    /// Lays the decisions over what a run made of a measurement, or of all.
    void judge(MeasurementRecord& measurement) const;
    void judge(std::vector<MeasurementRecord>& measurements) const;
};

/// The stored form of an act's decisions, and back; throws nlohmann's exceptions on damaged text.
std::string toText(const std::vector<Decision>& decisions);
std::vector<Decision> decisionsFrom(const std::string& text);

} // namespace pathmark::night
