#include "core/night/report/night_page.h"

#include "core/base/now.h"
#include "core/base/robust.h"
#include "core/night/report/body_part.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::night {
namespace {

using report::PageHeading;
using report::PageItem;
using report::PageTable;
using report::PageText;

std::string madeWords() {
    return fmt::format("Written by Path Mark {} on {} UTC.",
                       PATHMARK_VERSION,
                       toIso(utcNow(), 0).substr(0, 16).replace(10, 1, " "));
}

std::string dateOf(const Utc& time) {
    return toIso(time, 0).substr(0, 10);
}

/// "2034-03-17", or "2034-03-17 to 18" where it goes past midnight.
std::string nightDates(const std::vector<LightRecord>& lights) {
    const auto [first, last] = std::minmax_element(
        lights.begin(), lights.end(), [](const LightRecord& a, const LightRecord& b) {
            return a.middle < b.middle;
        });
    const std::string from = dateOf(first->middle);
    const std::string to = dateOf(last->middle);
    return from == to ? from : from + " to " + to;
}

std::string placeWords(const Recipe& recipe) {
    const report::ReportHead& head = recipe.head;
    std::string place =
        head.stationCode.empty() ? "an unnamed station" : "station " + head.stationCode;
    if (!head.observatory.empty()) {
        place += " (" + head.observatory + ")";
    }
    return place;
}

std::string peopleWords(const report::ReportHead& head) {
    std::vector<std::string> words;
    if (!head.observers.empty()) {
        words.push_back(fmt::format("observed by {}", fmt::join(head.observers, ", ")));
    }
    if (!head.measurers.empty()) {
        words.push_back(fmt::format("measured by {}", fmt::join(head.measurers, ", ")));
    }
    std::string with;
    if (!head.aperture.empty()) {
        with += head.aperture + " m ";
    }
    with += head.telescopeDesign;
    if (!with.empty()) {
        words.push_back("with a " + with);
    }
    return words.empty() ? std::string() : fmt::format(", {}", fmt::join(words, ", "));
}

double medianOf(std::vector<double> values) {
    return values.empty() ? std::nan("") : medianInPlace(std::span(values));
}

std::string numberOr(double value, const char* form) {
    return std::isfinite(value) ? fmt::format(fmt::runtime(form), value) : std::string("–");
}

double seeingOf(const LightRecord& light) {
    return light.solved() ? light.fwhmPixels * light.wcs->scaleArcsec() : std::nan("");
}

/// The lights of a night by their series, in order of time.
using SeriesLights = std::map<SeriesId, std::vector<const LightRecord*>>;

SeriesLights seriesOf(const std::vector<LightRecord>& lights) {
    SeriesLights series;
    for (const LightRecord& light : lights) {
        series[light.series].push_back(&light);
    }
    return series;
}

/// A series for people: its title says that its frames are lights, which they all are here.
std::string titleWords(const std::vector<const LightRecord*>& lights) {
    const std::string& title = lights.front()->seriesTitle;
    return title.starts_with("light ") ? title.substr(6) : title;
}

PageTable seriesTable(const SeriesLights& series) {
    PageTable table{
        {"Series", "Frames", "Solved", "Left out", "Exposure", "From", "To", "Star width", "Limit"},
        {}};
    for (const auto& [id, lights] : series) {
        std::vector<double> seeing;
        std::vector<double> limits;
        std::size_t solved = 0;
        std::size_t leftOut = 0;
        for (const LightRecord* light : lights) {
            solved += light->solved() ? 1 : 0;
            leftOut += light->leftOutBy.empty() ? 0 : 1;
            if (light->solved()) {
                seeing.push_back(seeingOf(*light));
            }
            if (light->photometry) {
                limits.push_back(light->photometry->limitingMag);
            }
        }
        table.rows.push_back({series.size() > 1
                                  ? fmt::format("{}: {}", table.rows.size() + 1, titleWords(lights))
                                  : titleWords(lights),
                              fmt::format("{}", lights.size()),
                              fmt::format("{}", solved),
                              fmt::format("{}", leftOut),
                              fmt::format("{:g} s", lights.front()->exposureSeconds),
                              clockOf(lights.front()->middle),
                              clockOf(lights.back()->middle),
                              numberOr(medianOf(seeing), "{:.1f}\""),
                              numberOr(medianOf(limits), "{:.1f}")});
    }
    return table;
}

/// "12 bias frames, 10 dark frames of 60 s"
std::string calibrationWords(const std::vector<frame::FrameInfo>& frames) {
    std::map<std::pair<std::string, std::string>, int> groups;
    for (const frame::FrameInfo& info : frames) {
        if (info.kind == frame::FrameKind::Light || info.kind == frame::FrameKind::Unknown) {
            continue;
        }
        const bool isFlat = info.kind == frame::FrameKind::Flat;
        const std::string of = isFlat ? (info.filter.empty() ? "" : " in " + info.filter)
                               : info.kind == frame::FrameKind::Bias
                                   ? ""
                                   : fmt::format(" of {:g} s", info.exposureSeconds);
        ++groups[{name(info.kind), of}];
    }
    std::vector<std::string> words;
    for (const auto& [group, count] : groups) {
        words.push_back(fmt::format(
            "{} {} {}{}", count, group.first, count == 1 ? "frame" : "frames", group.second));
    }
    return fmt::format("{}", fmt::join(words, ", "));
}

void tellWork(const NightWithRecipe& night, std::vector<PageItem>& items) {
    const ReportedNight& n = night.night;
    items.emplace_back(PageHeading{"What was done", 2});
    items.emplace_back(
        PageText{fmt::format("{} frames of the sky were taken between {} and {} UTC at {}{}.",
                             n.lights.size(),
                             clockOf(n.lights.front().middle),
                             clockOf(n.lights.back().middle),
                             placeWords(night.recipe),
                             peopleWords(night.recipe.head)),
                 false});
    const std::string calibration = calibrationWords(n.frames);
    items.emplace_back(PageText{
        calibration.empty()
            ? std::string(
                  "There were no frames to calibrate them with: they were used as they came "
                  "from the camera.")
            : fmt::format("To calibrate them there were {}.", calibration),
        false});
    const auto solved = std::count_if(
        n.lights.begin(), n.lights.end(), [](const LightRecord& l) { return l.solved(); });
    std::vector<double> rms;
    std::vector<double> stars;
    for (const LightRecord& light : n.lights) {
        if (light.solved() && !light.isRelative()) {
            rms.push_back(light.rmsArcsec);
            stars.push_back(light.matchedStars);
        }
    }
    std::string places = fmt::format(
        "Where {} of {} frames look was found from their stars", solved, n.lights.size());
    if (!rms.empty()) {
        places += fmt::format(
            " ({:.0f} stars of the catalogue {} on a typical frame, which agree to {:.2f}\")",
            medianOf(stars),
            night.recipe.catalogAdesName,
            medianOf(rms));
    }
    items.emplace_back(PageText{places + ".", false});
    items.emplace_back(seriesTable(seriesOf(n.lights)));
    items.emplace_back(PageText{"Star width is the width of star images at half their height; the "
                                "limit is the magnitude of a star that just stands out of the "
                                "noise (5 sigma). Both are the median of the series.",
                                true});
    for (const LightRecord& light : n.lights) {
        if (!light.solved()) {
            items.emplace_back(PageText{
                fmt::format("{}: {}", light.raw.filename().string(), light.problem), true});
        }
    }
}

void tellQuality(const ReportedNight& night, const Utc& zero, std::vector<PageItem>& items) {
    items.emplace_back(PageHeading{"How good the night was", 2});
    report::PagePlot seeing{"Width of stars", "UTC", "arcsec", false, true, {}, 1.0, {}};
    report::PagePlot clear{
        "How clear the sky was (zero point)", "UTC", "magnitude", false, true, {}, 0.4, {}};
    report::PagePlot limit{"How deep the frames go", "UTC", "magnitude", false, true, {}, 0.6, {}};
    const SeriesLights series = seriesOf(night.lights);
    int number = 0;
    for (const auto& [id, lights] : series) {
        const std::string title = series.size() > 1 ? fmt::format("{}", ++number) : std::string();
        report::PlotSeries widths{title, {}};
        report::PlotSeries zeros{title, {}};
        report::PlotSeries limits{title, {}};
        for (const LightRecord* light : lights) {
            const double at = light->middle.secondsSince(zero) / 3600.0;
            if (light->solved()) {
                widths.points.push_back({at, seeingOf(*light), 0.0});
            }
            if (light->photometry) {
                zeros.points.push_back({at, light->photometry->zeroPoint, 0.0});
                limits.points.push_back({at, light->photometry->limitingMag, 0.0});
            }
        }
        seeing.series.push_back(std::move(widths));
        clear.series.push_back(std::move(zeros));
        limit.series.push_back(std::move(limits));
    }
    items.emplace_back(report::PagePlots{{std::move(seeing), std::move(clear), std::move(limit)}});
    items.emplace_back(
        PageText{"Where the zero point falls, clouds or haze took light away; where it "
                 "stays, the sky was clear.",
                 true});
}

void tellSent(const ReportedNight& night, std::vector<PageItem>& items) {
    if (night.sendings.empty()) {
        return;
    }
    items.emplace_back(PageHeading{"What was sent", 2});
    PageTable table{{"UTC", "Lines", "State", "Receipt", "What was said"}, {}};
    for (const Sending& sending : night.sendings) {
        table.rows.push_back({sending.at.substr(0, 16).replace(10, 1, " "),
                              fmt::format("{}", sending.lines.size()),
                              name(sending.state),
                              sending.receipt,
                              sending.words});
    }
    items.emplace_back(std::move(table));
}

void tellDoubts(const NightWithRecipe& night, std::vector<PageItem>& items) {
    PageTable table{{"Body", "UTC", "Doubt", "What was decided"}, {}};
    for (const ReportLine& line : reportLines(night.night, night.recipe)) {
        for (const Doubt& doubt : line.doubts) {
            table.rows.push_back(
                {line.observation.body,
                 clockOf(line.observation.time),
                 doubt.words,
                 doubt.waived ? "sent all the same: " + *doubt.waived : "still open"});
        }
    }
    if (!table.rows.empty()) {
        items.emplace_back(PageHeading{"What may be wrong", 2});
        items.emplace_back(std::move(table));
    }
}

Error cancelled() {
    return {ErrorId::BaseCancelled, "Stopped; nothing was written.", {}};
}

} // namespace

Result<report::Page> nightPage(const NightWithRecipe& night, const Job& job) {
    if (night.night.lights.empty()) {
        return fail(ErrorId::ReportNothingToReport, "The night has no frames yet; run it first.");
    }
    report::Page page;
    page.title =
        fmt::format("Night of {} at {}", nightDates(night.night.lights), placeWords(night.recipe));
    page.made = madeWords();
    tellWork(night, page.items);
    const Utc zero = midnightBefore(night.night.lights.front().middle);
    tellQuality(night.night, zero, page.items);
    const auto bodies = toldBodies(night.night);
    page.items.emplace_back(PageHeading{"What was seen", 2});
    page.items.emplace_back(PageText{
        bodies.empty() ? std::string("No body was measured.")
                       : fmt::format("{} {}. A cut-out shows the sky about the body, north up and "
                                     "east to the left; O−C is how far it was seen from where its "
                                     "orbit (of a new one: its own straight motion) has it.",
                                     bodies.size(),
                                     bodies.size() == 1 ? "body" : "bodies"),
        true});
    int done = 0;
    for (const ToldBody& body : bodies) {
        if (job.stop.stop_requested()) {
            return fail(cancelled());
        }
        job.progress("Writing the night report", ++done, static_cast<int>(bodies.size()));
        tellBody(body, zero, page.items);
    }
    tellDoubts(night, page.items);
    tellSent(night.night, page.items);
    return page;
}

Result<report::Page>
bodyPage(std::span<const NightWithRecipe> nights, const BodyId& body, const Job& job) {
    report::Page page;
    page.made = madeWords();
    std::vector<const MeasurementRecord*> all;
    std::vector<PageItem> parts;
    int seenOn = 0;
    for (const NightWithRecipe& night : nights) {
        if (job.stop.stop_requested()) {
            return fail(cancelled());
        }
        for (const ToldBody& one : toldBodies(night.night)) {
            if (one.body != body) {
                continue;
            }
            page.title = one.title;
            ++seenOn;
            all.insert(all.end(), one.seen.begin(), one.seen.end());
            parts.emplace_back(PageHeading{fmt::format("Night of {} at {}",
                                                       dateOf(one.seen.front()->time),
                                                       placeWords(night.recipe)),
                                           2});
            tellBody(one, midnightBefore(one.seen.front()->time), parts);
        }
    }
    if (all.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    "None of the nights has kept a position of this body.",
                    body.text());
    }
    std::sort(
        all.begin(), all.end(), [](const auto* a, const auto* b) { return a->time < b->time; });
    const Utc first = midnightBefore(all.front()->time);
    page.items.emplace_back(PageText{fmt::format("{} positions on {} {}, {} to {}.",
                                                 all.size(),
                                                 seenOn,
                                                 seenOn == 1 ? "night" : "nights",
                                                 dateOf(all.front()->time),
                                                 dateOf(all.back()->time)),
                                     false});
    if (seenOn > 1) {
        plotBody(all, first, true, page.items);
    }
    page.items.insert(page.items.end(), parts.begin(), parts.end());
    return page;
}

} // namespace pathmark::night
