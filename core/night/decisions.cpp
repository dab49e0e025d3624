#include "core/night/decisions.h"

#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_fields.h"

#include <algorithm>
#include <array>
#include <stdexcept>

namespace pathmark {

template <>
struct FieldsOf<night::LeaveOut> {
    using R = night::LeaveOut;
    static constexpr auto list =
        std::tuple{Field{"frame", &R::frame}, Field{"out", &R::out}, Field{"rule", &R::rule}};
};

template <>
struct FieldsOf<night::JudgeMeasurement> {
    using R = night::JudgeMeasurement;
    static constexpr auto list = std::tuple{Field{"measurement", &R::measurement},
                                            Field{"state", &R::state},
                                            Field{"reason", &R::reason}};
};

template <>
struct FieldsOf<night::ChooseMaster> {
    using R = night::ChooseMaster;
    static constexpr auto list = std::tuple{Field{"series", &R::series},
                                            Field{"role", &R::role},
                                            Field{"by_hand", &R::byHand},
                                            Field{"group", &R::group}};
};

template <>
struct FieldsOf<night::SetKind> {
    using R = night::SetKind;
    static constexpr auto list = std::tuple{Field{"frame", &R::frame}, Field{"kind", &R::kind}};
};

template <>
struct FieldsOf<night::FitByHand> {
    using R = night::FitByHand;
    static constexpr auto list = std::tuple{
        Field{"frame", &R::frame}, Field{"wcs", &R::wcs}, Field{"offered_to", &R::offeredTo}};
};

template <>
struct FieldsOf<night::SwitchObservation> {
    using R = night::SwitchObservation;
    static constexpr auto list =
        std::tuple{Field{"observation", &R::observation}, Field{"off", &R::off}};
};

template <>
struct FieldsOf<night::SetBackground> {
    using R = night::SetBackground;
    static constexpr auto list = std::tuple{Field{"choice", &R::choice}};
};

template <>
struct FieldsOf<night::ProtectDisc> {
    using R = night::ProtectDisc;
    static constexpr auto list = std::tuple{Field{"frame", &R::frame}, Field{"disc", &R::disc}};
};

template <>
struct FieldsOf<night::BracketStacks> {
    using R = night::BracketStacks;
    static constexpr auto list =
        std::tuple{Field{"series", &R::series}, Field{"brackets", &R::brackets}};
};

template <>
struct FieldsOf<night::BeyondOrbit> {
    using R = night::BeyondOrbit;
    static constexpr auto list = std::tuple{Field{"at", &R::at},
                                            Field{"east", &R::eastArcsec},
                                            Field{"north", &R::northArcsec},
                                            Field{"east_rate", &R::eastArcsecPerMin},
                                            Field{"north_rate", &R::northArcsecPerMin}};
};

template <>
struct FieldsOf<night::AddOnMotion> {
    using R = night::AddOnMotion;
    static constexpr auto list = std::tuple{
        Field{"body", &R::body}, Field{"series", &R::series}, Field{"beyond", &R::beyond}};
};

template <>
struct FieldsOf<night::KeepByHand> {
    using R = night::KeepByHand;
    static constexpr auto list = std::tuple{Field{"measurement", &R::measurement},
                                            Field{"model", &R::model},
                                            Field{"record", &R::record}};
};

template <>
struct FieldsOf<night::SwitchStar> {
    using R = night::SwitchStar;
    static constexpr auto list = std::tuple{Field{"star", &R::star}, Field{"off", &R::off}};
};

template <>
struct FieldsOf<picture::Look> {
    using R = picture::Look;
    static constexpr auto list = std::tuple{Field{"linear", &R::isLinear},
                                            Field{"black", &R::black},
                                            Field{"white", &R::white},
                                            Field{"softness", &R::softness},
                                            Field{"saturation", &R::saturation},
                                            Field{"smoothing", &R::smoothing},
                                            Field{"white_is", &R::whiteIs},
                                            Field{"layers", &R::layers},
                                            Field{"stars", &R::stars},
                                            Field{"marks", &R::marks}};
};

template <>
struct FieldsOf<picture::StarStretch> {
    using R = picture::StarStretch;
    static constexpr auto list =
        std::tuple{Field{"white", &R::white}, Field{"softness", &R::softness}};
};

template <>
struct FieldsOf<picture::Marks> {
    using R = picture::Marks;
    static constexpr auto list = std::tuple{Field{"caption", &R::caption},
                                            Field{"scale", &R::scale},
                                            Field{"compass", &R::compass},
                                            Field{"path", &R::path}};
};

template <>
struct FieldsOf<PlanePos> {
    using R = PlanePos;
    static constexpr auto list = std::tuple{Field{"xi", &R::xi}, Field{"eta", &R::eta}};
};

template <>
struct FieldsOf<stack::SkyStroke> {
    using R = stack::SkyStroke;
    static constexpr auto list =
        std::tuple{Field{"at", &R::at}, Field{"radius", &R::radius}, Field{"light", &R::isLight}};
};

template <>
struct FieldsOf<night::PlaneOfFilter> {
    using R = night::PlaneOfFilter;
    static constexpr auto list = std::tuple{Field{"filter", &R::filter}, Field{"plane", &R::plane}};
};

template <>
struct FieldsOf<night::PictureMaking> {
    using R = night::PictureMaking;
    static constexpr auto list = std::tuple{Field{"sky_degree", &R::skyDegree},
                                            Field{"strokes", &R::strokes},
                                            Field{"planes", &R::planes}};
};

template <>
struct FieldsOf<night::SetPictureMaking> {
    using R = night::SetPictureMaking;
    static constexpr auto list = std::tuple{Field{"body", &R::body}, Field{"making", &R::making}};
};

template <>
struct FieldsOf<night::SetLook> {
    using R = night::SetLook;
    static constexpr auto list = std::tuple{Field{"body", &R::body}, Field{"look", &R::look}};
};

template <>
struct FieldsOf<night::SweepSeries> {
    using R = night::SweepSeries;
    static constexpr auto list = std::tuple{
        Field{"series", &R::series}, Field{"wish", &R::wish}, Field{"wanted", &R::wanted}};
};

template <>
struct FieldsOf<night::UseStarSet> {
    using R = night::UseStarSet;
    static constexpr auto list = std::tuple{Field{"path", &R::path}};
};

template <>
struct FieldsOf<night::WaveThrough> {
    using R = night::WaveThrough;
    static constexpr auto list = std::tuple{Field{"line", &R::line},
                                            Field{"doubt", &R::doubt},
                                            Field{"reason", &R::reason},
                                            Field{"waved", &R::waved}};
};

template <>
struct FieldsOf<night::LineCorrection> {
    using R = night::LineCorrection;
    static constexpr auto list = std::tuple{Field{"band", &R::band},
                                            Field{"without_magnitude", &R::withoutMagnitude},
                                            Field{"clock_seconds", &R::clockSeconds},
                                            Field{"remark", &R::remark}};
};

template <>
struct FieldsOf<night::CorrectLine> {
    using R = night::CorrectLine;
    static constexpr auto list =
        std::tuple{Field{"line", &R::line}, Field{"correction", &R::correction}};
};

template <>
struct FieldsOf<night::NameCandidate> {
    using R = night::NameCandidate;
    static constexpr auto list = std::tuple{Field{"body", &R::body}, Field{"name", &R::name}};
};

} // namespace pathmark

namespace pathmark::night {
namespace {

using nlohmann::json;

/// The words that the kinds of decisions are stored under, in the order of the variant.
constexpr auto kWords = std::to_array<const char*>({"leave_out",
                                                    "measurement",
                                                    "master",
                                                    "kind",
                                                    "hand_fit",
                                                    "observation",
                                                    "background",
                                                    "protect",
                                                    "stack_brackets",
                                                    "stack_motion",
                                                    "by_hand",
                                                    "star",
                                                    "star_set",
                                                    "look",
                                                    "picture_making",
                                                    "sweep",
                                                    "wave_through",
                                                    "correct_line",
                                                    "name_candidate"});
static_assert(kWords.size() == std::variant_size_v<Decision>);

template <std::size_t I = 0>
Decision readDecision(const std::string& word, const json& value) {
    if constexpr (I == std::variant_size_v<Decision>) {
        throw std::invalid_argument("no such decision: " + word);
    } else {
        return word == kWords[I]
                   ? Decision(record_json::read<std::variant_alternative_t<I, Decision>>(value))
                   : readDecision<I + 1>(word, value);
    }
}

/// Takes one kind of decision in.
struct Apply {
    Decided& decided;

    void operator()(const LeaveOut& d) const {
        if (d.out) {
            decided.leftOut[d.frame] = d.rule;
        } else {
            decided.leftOut.erase(d.frame);
        }
    }

    void operator()(const JudgeMeasurement& d) const {
        if (d.state) {
            decided.measurements[d.measurement] = d;
        } else {
            decided.measurements.erase(d.measurement);
        }
    }

    void operator()(const ChooseMaster& d) const {
        auto& list = decided.masters[d.series];
        std::erase_if(list, [&](const calibrate::Override& o) { return o.role == d.role; });
        if (d.byHand) {
            list.push_back({d.role, d.group});
        }
        if (list.empty()) {
            decided.masters.erase(d.series);
        }
    }

    void operator()(const SetKind& d) const {
        if (d.kind) {
            decided.kinds[d.frame] = *d.kind;
        } else {
            decided.kinds.erase(d.frame);
        }
    }

    void operator()(const FitByHand& d) const {
        if (d.wcs) {
            decided.handFits[d.frame] = {*d.wcs, d.offeredTo};
        } else {
            decided.handFits.erase(d.frame);
        }
    }

    void operator()(const SwitchObservation& d) const {
        if (d.off) {
            decided.observationsOff.insert(d.observation);
        } else {
            decided.observationsOff.erase(d.observation);
        }
    }

    void operator()(const SetBackground& d) const { decided.background = d.choice; }

    void operator()(const ProtectDisc& d) const {
        if (d.disc) {
            decided.protectedDiscs[d.frame] = *d.disc;
        } else {
            decided.protectedDiscs.erase(d.frame);
        }
    }

    void operator()(const BracketStacks& d) const {
        if (d.brackets.empty()) {
            decided.brackets.erase(d.series);
        } else {
            decided.brackets[d.series] = d.brackets;
        }
    }

    void operator()(const KeepByHand& d) const {
        if (d.record) {
            decided.byHand[d.measurement] = d;
        } else {
            decided.byHand.erase(d.measurement);
        }
    }

    void operator()(const SwitchStar& d) const {
        if (d.off) {
            decided.starsOff.insert(d.star);
        } else {
            decided.starsOff.erase(d.star);
        }
    }

    void operator()(const UseStarSet& d) const { decided.starSet = d.path; }

    void operator()(const SetLook& d) const {
        if (d.look) {
            decided.looks[d.body] = *d.look;
        } else {
            decided.looks.erase(d.body);
        }
    }

    void operator()(const SetPictureMaking& d) const {
        if (d.making) {
            decided.makings[d.body] = *d.making;
        } else {
            decided.makings.erase(d.body);
        }
    }

    void operator()(const SweepSeries& d) const {
        auto& wishes = decided.sweeps[d.series];
        std::erase(wishes, d.wish);
        if (d.wanted) {
            wishes.push_back(d.wish);
        }
        if (wishes.empty()) {
            decided.sweeps.erase(d.series);
        }
    }

    void operator()(const WaveThrough& d) const {
        if (d.waved) {
            decided.wavedThrough[{d.line, d.doubt}] = d.reason;
        } else {
            decided.wavedThrough.erase({d.line, d.doubt});
        }
    }

    void operator()(const CorrectLine& d) const {
        if (d.correction) {
            decided.corrections[d.line] = *d.correction;
        } else {
            decided.corrections.erase(d.line);
        }
    }

    void operator()(const NameCandidate& d) const {
        if (d.name.empty()) {
            decided.ownNames.erase(d.body);
        } else {
            decided.ownNames[d.body] = d.name;
        }
    }

    void operator()(const AddOnMotion& d) const {
        if (d.beyond) {
            decided.motions[{d.body, d.series}] = *d.beyond;
        } else {
            decided.motions.erase({d.body, d.series});
        }
    }
};

} // namespace

SkyPos BeyondOrbit::from(const SkyPos& orbit, const Utc& time) const {
    const double minutes = time.secondsSince(at) / 60.0;
    return offsetBy(
        orbit, eastArcsec + minutes * eastArcsecPerMin, northArcsec + minutes * northArcsecPerMin);
}

bool HandSolution::isOfferedTo(const FrameId& other) const {
    return std::find(offeredTo.begin(), offeredTo.end(), other) != offeredTo.end();
}

void Decided::apply(const Decision& decision) {
    std::visit(Apply{*this}, decision);
}

CalibrationSettings Decided::over(CalibrationSettings settings) const {
    if (background) {
        static_cast<BackgroundChoice&>(settings) = *background;
    }
    return settings;
}

void Decided::apply(const Act& act) {
    for (const Decision& decision : act.decisions) {
        apply(decision);
    }
}

Decided Decided::after(std::span<const PastAct> history) {
    Decided decided;
    for (const PastAct& past : history) {
        if (past.inForce) {
            decided.apply(past.act);
        }
    }
    return decided;
}

void Decided::judge(MeasurementRecord& record) const {
    if (const auto known = measurements.find(record.id); known != measurements.end()) {
        record.state = known->second.state.value_or(record.state);
        record.reason = known->second.reason;
    }
}

void Decided::judge(std::vector<MeasurementRecord>& records) const {
    for (MeasurementRecord& record : records) {
        judge(record);
    }
}

std::string toText(const std::vector<Decision>& decisions) {
    json list = json::array();
    for (const Decision& decision : decisions) {
        list.push_back(std::visit(
            [&](const auto& d) {
                return json{{kWords[decision.index()], record_json::write(d)}};
            },
            decision));
    }
    return list.dump();
}

std::vector<Decision> decisionsFrom(const std::string& text) {
    std::vector<Decision> decisions;
    for (const json& entry : json::parse(text)) {
        for (const auto& [word, value] : entry.items()) {
            decisions.push_back(readDecision(word, value));
        }
    }
    return decisions;
}

} // namespace pathmark::night
