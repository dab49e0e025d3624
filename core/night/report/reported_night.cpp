#include "core/night/report/reported_night.h"

#include "core/base/names.h"
#include "core/night/data_files.h"
#include "core/night/report/report_doubts.h"
#include "core/report/structure.h"
#include "core/report/writers.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <map>
#include <span>
#include <utility>

namespace pathmark::night {
namespace {

using report::Form;

constexpr Names<Form, 3> kFormNames{
    {{Form::Psv, "psv"}, {Form::Xml, "xml"}, {Form::EightyColumn, "80"}}};
constexpr Names<Form, 3> kFormFiles{
    {{Form::Psv, "report.psv"}, {Form::Xml, "report.xml"}, {Form::EightyColumn, "report.80.txt"}}};

/// So many faults are named; one leads to the others as a rule.
constexpr std::size_t kNamedFaults = 3;

bool isReported(const MeasurementRecord& m) {
    return m.seen && m.state == MeasurementState::Kept;
}

std::vector<const MeasurementRecord*> reportedOnes(const ReportedNight& night) {
    std::vector<const MeasurementRecord*> reported;
    for (const MeasurementRecord& m : night.measurements) {
        if (isReported(m)) {
            reported.push_back(&m);
        }
    }
    return reported;
}

/// Lays what the observer said of a line over it.
void correct(const LineCorrection& said, report::Observation& o) {
    if (said.band) {
        o.band = *said.band;
    }
    if (said.withoutMagnitude) {
        o.magnitude.reset();
    }
    if (said.clockSeconds) {
        o.timeUncertainSeconds = *said.clockSeconds;
    }
    if (!said.remark.empty()) {
        o.remark += (o.remark.empty() ? "" : "; ") + said.remark;
    }
}

/// Turns measurements of a night into lines of its report.
class Writer {
  public:
    Writer(const ReportedNight& night, const Recipe& recipe)
        : night_(night), recipe_(recipe), lights_(lightsOfFrames(night)),
          frames_(framesById(night)) {}

    [[nodiscard]] report::Observation observationOf(const MeasurementRecord& m) const {
        report::Observation o;
        o.body = m.candidate ? reportedName(night_, m.body) : m.body.text();
        o.ownName = m.candidate;
        o.time = m.time;
        o.sky = m.sky;
        o.raErrorArcsec = m.raErrorArcsec;
        o.decErrorArcsec = m.decErrorArcsec;
        o.magnitude = m.magnitude;
        o.magnitudeError = m.magnitudeError;
        o.band = m.band;
        o.catalogue = recipe_.catalogAdesName;
        o.usedStars = m.usedStars;
        o.exposureSeconds = m.exposureSeconds;
        o.stackedFrames = m.frames;
        o.snr = m.snr;
        o.id = m.id;
        if (const LightRecord* light = lightOf(m); light != nullptr) {
            if (light->solved()) {
                o.fitRmsArcsec = light->rmsArcsec;
                o.seeingArcsec = light->fwhmPixels * light->wcs->scaleArcsec();
            }
            const auto info = frames_.find(m.frame);
            if (info != frames_.end() && info->second->timeStepSeconds > 0.0) {
                o.timeStepSeconds = info->second->timeStepSeconds;
            }
        }
        if (m.onStack) {
            o.remark = fmt::format("stack of {} frames on the motion", m.frames);
        }
        if (const auto said = night_.decided.corrections.find(m.id);
            said != night_.decided.corrections.end()) {
            correct(said->second, o);
        }
        return o;
    }

    /// The light of a measurement of a single frame; null: there is none.
    [[nodiscard]] const LightRecord* lightOf(const MeasurementRecord& m) const {
        const auto light = lights_.find(m.frame);
        return m.onStack || light == lights_.end() ? nullptr : light->second;
    }

    /// The file's pixel scale fills what the recipe leaves out.
    [[nodiscard]] report::ReportHead head() const {
        report::ReportHead head = recipe_.head;
        for (const LightRecord& light : night_.lights) {
            if (light.solved()) {
                head.pixelScale = fmt::format("{:.2f}", light.wcs->scaleArcsec());
                break;
            }
        }
        return head;
    }

  private:
    const ReportedNight& night_;
    const Recipe& recipe_;
    LightsOfFrames lights_;
    FramesById frames_;
};

/// Lays the observer's reasons over the doubts of a line.
void waive(const Decided& decided, const std::string& line, std::vector<Doubt>& doubts) {
    for (Doubt& doubt : doubts) {
        const auto known = decided.wavedThrough.find({line, doubt.key()});
        if (known != decided.wavedThrough.end()) {
            doubt.waived = known->second;
        }
    }
}

Result<std::string> textOf(Form form,
                           const report::ReportHead& head,
                           std::span<const report::Observation> observations,
                           std::vector<Error>& leftOut) {
    switch (form) {
    case Form::Xml: return report::toAdesXml(head, observations, leftOut);
    case Form::EightyColumn: return report::toEightyColumn(head, observations, leftOut);
    case Form::Psv: return report::toAdesPsv(head, observations, leftOut);
    }
    return std::string();
}

/// What is wrong with a report as it would leave. Both forms of the standard are written from the same fields, so the structure, which
/// is one of XML, is asked for both.
std::vector<std::string> faultsOf(Form form,
                                  const std::string& text,
                                  const report::ReportHead& head,
                                  std::span<const report::Observation> observations) {
    std::vector<std::string> faults;
    if (form != Form::EightyColumn) {
        std::vector<Error> told; // with the text itself
        const auto xml = form == Form::Xml ? Result<std::string>(text)
                                           : report::toAdesXml(head, observations, told);
        faults = report::structureFaults(dataFile("ades-2022.xsd"), *xml);
    }
    for (std::string& words : report::readBackDifferences(form, text, head, observations)) {
        faults.push_back(std::move(words));
    }
    return faults;
}

} // namespace

LightsOfFrames lightsOfFrames(const ReportedNight& night) {
    LightsOfFrames lights;
    for (const LightRecord& light : night.lights) {
        lights[light.frame] = &light;
    }
    return lights;
}

FramesById framesById(const ReportedNight& night) {
    FramesById frames;
    for (const frame::FrameInfo& info : night.frames) {
        frames[info.id] = &info;
    }
    return frames;
}

std::string reportedName(const ReportedNight& night, const BodyId& body) {
    const auto own = night.decided.ownNames.find(body);
    return own == night.decided.ownNames.end() ? body.text() : own->second;
}

Result<ReportedNight> reportedOf(const NightFile& file) {
    ReportedNight night;
    const auto read = [](auto& into, auto result) -> Result<bool> {
        if (!result) {
            return fail(result.error());
        }
        into = std::move(*result);
        return true;
    };
    for (const auto& done : {read(night.measurements, file.measurements()),
                             read(night.lights, file.lights()),
                             read(night.frames, file.frames()),
                             read(night.predictions, file.predictions()),
                             read(night.tracks, file.tracks()),
                             read(night.decided, file.decided()),
                             read(night.sendings, file.sendings())}) {
        if (!done) {
            return fail(done.error());
        }
    }
    return night;
}

bool ReportLine::isDoubted() const {
    return std::any_of(
        doubts.begin(), doubts.end(), [](const Doubt& doubt) { return !doubt.waived; });
}

bool ReportLine::isToBeSent() const {
    return !fate || !fate->isOut() ||
           std::any_of(doubts.begin(), doubts.end(), [](const Doubt& doubt) {
               return doubt.kind == DoubtKind::SentBefore && doubt.waived;
           });
}

std::vector<ReportLine> reportLines(const ReportedNight& night, const Recipe& recipe) {
    if (recipe.ownStars) {
        return {};
    }
    const Writer writer(night, recipe);
    std::vector<ReportLine> lines;
    DoubtedReport report{{}, night, recipe, writer.head()};
    const auto reported = reportedOnes(night);
    lines.reserve(reported.size()); // the doubted report points at them
    for (const MeasurementRecord* m : reported) {
        lines.push_back({m->id, writer.observationOf(*m), {}, {}});
        report.lines.push_back({m, &lines.back().observation});
    }
    DoubtList doubts = reportDoubts(report);
    const SentLines sent(night.sendings);
    for (ReportLine& line : lines) {
        line.doubts = doubts.take(line.measurement);
        line.fate = sent.of(line.observation);
        if (line.fate && line.fate->isChanged) {
            line.doubts.push_back({DoubtKind::SentBefore,
                                   "It was sent before and has changed since.",
                                   {},
                                   line.fate->sending});
        }
        waive(night.decided, line.measurement, line.doubts);
    }
    return lines;
}

std::optional<Form> reportFormNamed(std::string_view name) {
    return valueNamed(kFormNames, name);
}

const char* reportFile(Form form) {
    return nameIn(kFormFiles, form);
}

Result<std::string> reportText(const ReportedNight& night,
                               const Recipe& recipe,
                               Form form,
                               std::vector<Error>& leftOut,
                               const std::vector<std::string>* only) {
    if (recipe.ownStars) {
        return fail(ErrorId::ReportNothingToReport,
                    "Without a star catalogue nothing has a place on the sky, and nothing is "
                    "reported. Give a catalogue, or fetch one, and run again.");
    }
    const Writer writer(night, recipe);
    std::vector<report::Observation> observations;
    for (const MeasurementRecord* m : reportedOnes(night)) {
        if (only == nullptr || std::find(only->begin(), only->end(), m->id) != only->end()) {
            observations.push_back(writer.observationOf(*m));
        }
    }
    const auto head = writer.head();
    if (head.stationCode.empty()) {
        return fail(ErrorId::OrbitUnknownSite,
                    "A report needs the observatory's code; give it as [site] code in the recipe, "
                    "or by --site.");
    }
    auto text = textOf(form, head, observations, leftOut);
    if (!text) {
        return text;
    }
    auto faults = faultsOf(form, *text, head, observations);
    if (!faults.empty()) {
        faults.resize(std::min(faults.size(), kNamedFaults));
        return fail(ErrorId::ReportNotValid,
                    fmt::format("The report would not be valid: {}.", fmt::join(faults, "; ")),
                    reportFile(form));
    }
    return text;
}

} // namespace pathmark::night
