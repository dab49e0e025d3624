#include "core/night/report/body_part.h"

#include "core/base/sexagesimal.h"
#include "core/night/report/cut_out.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::night {
namespace {

using report::PageItem;

constexpr std::size_t kCutOuts = 6;
constexpr int kCutOutHalf = 20;
constexpr double kSecondsPerHour = 3600.0;

double meanMagnitude(const std::vector<const MeasurementRecord*>& seen) {
    double sum = 0.0;
    double weights = 0.0;
    for (const MeasurementRecord* m : seen) {
        if (m->magnitude) {
            const double weight = 1.0 / std::max(1e-6, m->magnitudeError * m->magnitudeError);
            sum += weight * *m->magnitude;
            weights += weight;
        }
    }
    return weights > 0.0 ? sum / weights : 99.0;
}

std::string frameWord(std::size_t count, const char* one, const char* more) {
    return fmt::format("{} {}", count, count == 1 ? one : more);
}

std::string motionWords(const MeasurementRecord& m) {
    static constexpr std::array winds{
        "north", "north-east", "east", "south-east", "south", "south-west", "west", "north-west"};
    const auto wind = static_cast<std::size_t>(std::lround(m.positionAngleDegrees / 45.0)) % 8;
    return fmt::format("moving {:.2f}\" a minute towards the {} (position angle {:.0f}°)",
                       m.rateArcsecPerMin,
                       winds[wind],
                       m.positionAngleDegrees);
}

std::string summaryOf(const ToldBody& body) {
    const MeasurementRecord& first = *body.seen.front();
    const MeasurementRecord& last = *body.seen.back();
    std::string words = body.isNew ? "In none of the lists of known bodies. " : "";
    words += fmt::format("{} kept, from {} to {} UTC, {}",
                         frameWord(body.seen.size(), "position", "positions"),
                         clockOf(first.time),
                         clockOf(last.time),
                         motionWords(first));
    const double magnitude = meanMagnitude(body.seen);
    if (magnitude < 90.0) {
        words += fmt::format(
            "; {} {:.2f} on average", first.band.empty() ? "magnitude" : first.band, magnitude);
    }
    words += ".";
    if (first.coma && first.coma->extentArcsec > 0.0) {
        words +=
            fmt::format(" Its coma or tail stands out of the sky to {:.0f}\" from the nucleus.",
                        first.coma->extentArcsec);
    }
    const auto stacks = static_cast<std::size_t>(std::count_if(
        body.seen.begin(), body.seen.end(), [](const auto* m) { return m->onStack; }));
    if (stacks > 0) {
        words += fmt::format(
            " {} measured on sums of frames that were shifted along its motion, as it is too faint "
            "for one frame alone.",
            stacks == 1 ? "One of them was" : fmt::format("{} of them were", stacks));
    }
    if (body.notSeen > 0) {
        words += fmt::format(" On {} nothing was seen where it was expected.",
                             frameWord(body.notSeen, "picture", "pictures"));
    }
    return words;
}

std::string notKeptWords(const ToldBody& body) {
    std::map<std::string, std::size_t> reasons;
    for (const MeasurementRecord* m : body.notKept) {
        ++reasons[m->reason.empty() ? std::string("no reason given") : m->reason];
    }
    std::vector<std::string> words;
    for (const auto& [reason, count] : reasons) {
        words.push_back(count == 1 ? reason : fmt::format("{} ({} times)", reason, count));
    }
    return fmt::format("Not reported: {}: {}.",
                       frameWord(body.notKept.size(), "position", "positions"),
                       fmt::join(words, "; "));
}

report::PageStrip cutOutsOf(const ToldBody& body) {
    report::PageStrip strip;
    const std::size_t count = std::min(kCutOuts, body.seen.size());
    for (std::size_t i = 0; i < count; ++i) {
        // Spread over the night, the first and the last among them.
        const std::size_t place = count == 1 ? 0 : i * (body.seen.size() - 1) / (count - 1);
        const MeasurementRecord& m = *body.seen[place];
        if (const auto image = cutOutOf(m, kCutOutHalf)) {
            strip.pictures.push_back(greyOf(*image, clockOf(m.time)));
        }
    }
    return strip;
}

/// Nought has no sign.
std::string signedArcsec(double arcsec) {
    return std::abs(arcsec) < 0.005 ? "0.00\"" : fmt::format("{:+.2f}\"", arcsec);
}

report::PageTable tableOf(const ToldBody& body) {
    report::PageTable table{
        {"UTC", "RA", "Dec", "± RA", "± Dec", "O−C RA", "O−C Dec", "Magnitude", "S/N", "Frames"},
        {}};
    for (const MeasurementRecord* m : body.seen) {
        table.rows.push_back(
            {clockOf(m->time),
             toHours(m->sky.longitude, 3),
             toDegrees(m->sky.latitude, 2),
             fmt::format("{:.3f}\"", m->raErrorArcsec),
             fmt::format("{:.3f}\"", m->decErrorArcsec),
             signedArcsec(m->observedMinusComputedRa),
             signedArcsec(m->observedMinusComputedDec),
             m->magnitude
                 ? fmt::format("{:.2f} ± {:.2f} {}", *m->magnitude, m->magnitudeError, m->band)
                 : std::string("–"),
             fmt::format("{:.1f}", m->snr),
             fmt::format("{}", m->frames)});
    }
    return table;
}

} // namespace

Utc midnightBefore(const Utc& time) {
    const double zero = std::floor(time.julian() - 0.5) + 0.5;
    return Utc::julian(zero);
}

std::string clockOf(const Utc& time) {
    return toIso(time, 0).substr(11, 8);
}

std::vector<ToldBody> toldBodies(const ReportedNight& night) {
    std::map<BodyId, ToldBody> byId;
    for (const MeasurementRecord& m : night.measurements) {
        ToldBody& body = byId[m.body];
        body.body = m.body;
        body.isNew = body.isNew || m.candidate;
        if (!m.seen) {
            ++body.notSeen;
        } else if (m.state == MeasurementState::Kept) {
            body.seen.push_back(&m);
        } else {
            body.notKept.push_back(&m);
        }
    }
    for (const PredictionRecord& p : night.predictions) {
        if (const auto known = byId.find(p.body);
            known != byId.end() && known->second.title.empty()) {
            known->second.title = p.title;
        }
    }
    std::vector<ToldBody> bodies;
    for (auto& [id, body] : byId) {
        if (body.seen.empty()) {
            continue;
        }
        if ((body.isNew && night.decided.ownNames.contains(id)) || body.title.empty()) {
            body.title = body.isNew ? reportedName(night, id) : id.text();
        }
        std::sort(body.seen.begin(), body.seen.end(), [](const auto* a, const auto* b) {
            return a->time < b->time;
        });
        bodies.push_back(std::move(body));
    }
    std::stable_sort(bodies.begin(), bodies.end(), [](const ToldBody& a, const ToldBody& b) {
        return a.isNew != b.isNew ? a.isNew : meanMagnitude(a.seen) < meanMagnitude(b.seen);
    });
    return bodies;
}

void plotBody(const std::vector<const MeasurementRecord*>& seen,
              const Utc& zero,
              bool overDays,
              std::vector<PageItem>& items) {
    constexpr std::size_t least = 3; // fewer points are told by the table
    if (seen.size() < least) {
        return;
    }
    const std::string label = overDays ? "days after " + toIso(zero, 0).substr(0, 10) : "UTC";
    report::PagePlot brightness{"Brightness", label, "magnitude", true, !overDays, {}, 0.2, {}};
    report::PagePlot rest{
        "Observed minus computed", label, "arcsec", false, !overDays, 0.0, 0.2, {}};
    report::PlotSeries ra{"RA", {}};
    report::PlotSeries dec{"Dec", {}};
    std::map<std::string, report::PlotSeries> bands;
    for (const MeasurementRecord* m : seen) {
        const double at =
            m->time.secondsSince(zero) / (overDays ? kSecondsPerDay : kSecondsPerHour);
        if (m->magnitude) {
            bands[m->band].name = m->band;
            bands[m->band].points.push_back({at, *m->magnitude, m->magnitudeError});
        }
        ra.points.push_back({at, m->observedMinusComputedRa, m->raErrorArcsec});
        dec.points.push_back({at, m->observedMinusComputedDec, m->decErrorArcsec});
    }
    report::PagePlots plots;
    for (auto& [band, series] : bands) {
        brightness.series.push_back(std::move(series));
    }
    if (!brightness.series.empty()) {
        plots.plots.push_back(std::move(brightness));
    }
    rest.series = {std::move(ra), std::move(dec)};
    plots.plots.push_back(std::move(rest));
    items.emplace_back(std::move(plots));
}

void tellBody(const ToldBody& body, const Utc& zero, std::vector<PageItem>& items) {
    items.emplace_back(report::PageHeading{body.title, 3});
    items.emplace_back(report::PageText{summaryOf(body), false});
    if (!body.notKept.empty()) {
        items.emplace_back(report::PageText{notKeptWords(body), true});
    }
    items.emplace_back(cutOutsOf(body));
    items.emplace_back(tableOf(body));
    plotBody(body.seen, zero, false, items);
}

} // namespace pathmark::night
