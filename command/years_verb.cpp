#include "command/body_choice.h"
#include "core/base/atomic_file.h"
#include "core/night/over_years.h"
#include "core/report/page/page_writers.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <map>
#include <memory>

namespace pathmark::command {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

struct YearsArguments {
    Console console;
    std::vector<std::string> nights;
    BodyArguments body;
    bool unsearched = false;
    std::string csv;
    std::string votable;
    std::string page;
};

/// Julian years.
double yearOf(const Utc& time) {
    return 2000.0 + (time.julian() - 2451545.0) / 365.25;
}

json entryOf(const night::BodyOverYears& one) {
    const night::MeasurementRecord& m = one.measured;
    json entry{{"mid_time", toIso(m.time)},
               {"mag", m.seen ? finite(m.magnitude) : json()},
               {"mag_err", m.seen && m.magnitude ? json(m.magnitudeError) : json()},
               {"band", m.band},
               {"reduced_mag", m.seen ? finite(one.reducedMagnitude()) : json()},
               {"phase_deg", nullptr},
               {"sun_distance_au", nullptr},
               {"distance_au", nullptr},
               {"limit", m.seen ? json() : finite(m.limit)},
               {"frames", m.frames},
               {"snr", m.snr},
               {"measurement", m.id},
               {"night", one.nightFile.string()}};
    if (one.distances) {
        entry["phase_deg"] = one.distances->phase.degrees();
        entry["sun_distance_au"] = one.distances->sunAu;
        entry["distance_au"] = one.distances->observerAu;
    }
    return entry;
}

json entryOf(const night::FieldOverYears& field) {
    const bool hasPlace = field.solved > 0;
    return {{"first", toIso(field.first)},
            {"last", toIso(field.last)},
            {"ra", hasPlace ? json(field.middle.longitude.degrees()) : json()},
            {"dec", hasPlace ? json(field.middle.latitude.degrees()) : json()},
            {"width_deg", hasPlace ? json(field.widthDegrees) : json()},
            {"height_deg", hasPlace ? json(field.heightDegrees) : json()},
            {"lights", field.lights},
            {"solved", field.solved},
            {"filter", field.filter},
            {"limiting_mag", finite(field.limit)},
            {"searched", name(field.search)},
            {"swept_to", finite(field.sweptTo)},
            {"series", field.title},
            {"night", field.nightFile.string()}};
}

/// A body's brightness over the years, and against its phase: a series each band.
report::Page pageOf(const std::string& body, std::span<const night::BodyOverYears> curve) {
    std::map<std::string, std::array<report::PlotSeries, 3>> bands;
    for (const night::BodyOverYears& one : curve) {
        const night::MeasurementRecord& m = one.measured;
        if (!m.seen || !m.magnitude) {
            continue;
        }
        auto& series = bands[m.band];
        series[0].points.push_back({yearOf(m.time), *m.magnitude, m.magnitudeError});
        if (const auto reduced = one.reducedMagnitude()) {
            series[1].points.push_back({yearOf(m.time), *reduced, m.magnitudeError});
            series[2].points.push_back(
                {one.distances->phase.degrees(), *reduced, m.magnitudeError});
        }
    }
    std::array<report::PagePlot, 3> plots;
    plots[0] = {"As seen", "Year", "Magnitude", true, false, {}, 0.2, {}};
    plots[1] = {
        "At one au from Sun and observer", "Year", "Reduced magnitude", true, false, {}, 0.2, {}};
    plots[2] = {"Against the phase angle",
                "Phase angle, degrees",
                "Reduced magnitude",
                true,
                false,
                {},
                0.2,
                {}};
    for (auto& [band, series] : bands) {
        for (std::size_t k = 0; k < plots.size(); ++k) {
            series[k].name = band;
            if (!series[k].points.empty()) {
                plots[k].series.push_back(std::move(series[k]));
            }
        }
    }
    report::Page page;
    page.title = body + " over the years";
    page.made = fmt::format("{} measurements", curve.size());
    for (report::PagePlot& plot : plots) {
        if (!plot.series.empty()) {
            page.items.emplace_back(report::PagePlots{{std::move(plot)}});
        }
    }
    return page;
}

Result<bool> writePage(const std::string& path, const report::Page& page) {
    if (fs::path(path).extension() != ".pdf") {
        return writeWholeText(path, toHtml(page));
    }
    const auto bytes = toPdf(page);
    return bytes ? writeWholeText(path, *bytes) : fail(bytes.error());
}

/// What each night has, in order of time; a night that cannot be read is told, and the others go on.
template <typename Row, typename Read, typename TimeOf>
bool gather(std::span<const fs::path> files,
            std::vector<Row>& rows,
            const Read& read,
            const TimeOf& timeOf) {
    bool isWhole = true;
    for (const fs::path& file : files) {
        auto some = read(file);
        if (!some) {
            Console::complain(some.error());
            isWhole = false;
            continue;
        }
        std::move(some->begin(), some->end(), std::back_inserter(rows));
    }
    std::stable_sort(rows.begin(), rows.end(), [&](const Row& x, const Row& y) {
        return timeOf(x) < timeOf(y);
    });
    return isWhole;
}

template <typename Row>
json entriesOf(const std::vector<Row>& rows) {
    json entries = json::array();
    for (const Row& row : rows) {
        entries.push_back(entryOf(row));
    }
    return entries;
}

/// The tables that were asked for; on the screen where none were.
template <typename Row>
bool writeTables(const YearsArguments& a, const std::vector<Row>& rows) {
    bool isWhole = true;
    const auto write = [&](const std::string& path, bool isVoTable) {
        if (path.empty()) {
            return;
        }
        if (auto written = writeWholeText(path, night::tableOf(std::span(rows), isVoTable));
            !written) {
            Console::complain(written.error());
            isWhole = false;
        }
    };
    write(a.csv, false);
    write(a.votable, true);
    if (!a.console.json && a.csv.empty() && a.votable.empty() && a.page.empty()) {
        Console::print(night::tableOf(std::span(rows), false));
    }
    return isWhole;
}

int tellBody(const YearsArguments& a, const std::vector<fs::path>& files) {
    std::optional<SoughtBody> sought;
    if (!a.body.orbits.empty()) {
        auto found = seekBody(a.body);
        if (!found) {
            Console::complain(found.error());
            return kSomeFailed;
        }
        sought.emplace(std::move(*found));
    }
    const auto distancesAt = [&](const Utc& time) -> std::optional<night::BodyDistances> {
        const auto place = sought ? sought->at(time) : fail(ErrorId::OrbitUnknownBody, "");
        return place ? std::optional(night::BodyDistances{
                           place->sunDistanceAu, place->distanceAu, place->phase})
                     : std::nullopt;
    };
    std::vector<night::BodyOverYears> curve;
    const auto body = night::BodyId::of(sought ? sought->elements.name : a.body.body);
    bool isWhole = gather(
        files,
        curve,
        [&](const fs::path& file) { return night::bodyOverYears(file, body, distancesAt); },
        [](const auto& one) { return one.measured.time; });
    isWhole = writeTables(a, curve) && isWhole;
    if (!a.page.empty()) {
        if (auto written = writePage(a.page, pageOf(a.body.body, curve)); !written) {
            Console::complain(written.error());
            isWhole = false;
        }
    }
    if (a.console.json) {
        Console::print(
            {{"body", a.body.body}, {"nights", files.size()}, {"measurements", entriesOf(curve)}});
    }
    a.console.say(fmt::format("{} measurements in {} nights.", curve.size(), files.size()));
    return isWhole ? kDone : kSomeFailed;
}

int tellFields(const YearsArguments& a, const std::vector<fs::path>& files) {
    std::vector<night::FieldOverYears> fields;
    bool isWhole =
        gather(files, fields, night::fieldsOfNight, [](const auto& field) { return field.first; });
    if (a.unsearched) {
        std::erase_if(fields,
                      [](const auto& field) { return field.search == night::FieldSearch::Swept; });
    }
    isWhole = writeTables(a, fields) && isWhole;
    if (a.console.json) {
        Console::print({{"nights", files.size()}, {"fields", entriesOf(fields)}});
    }
    a.console.say(fmt::format("{} fields of {} nights.", fields.size(), files.size()));
    return isWhole ? kDone : kSomeFailed;
}

int years(const YearsArguments& a) {
    if (a.body.body.empty() && (!a.page.empty() || !a.body.orbits.empty())) {
        Console::complain({ErrorId::OrbitUnknownBody, "--page and --orbits need --body NAME.", ""});
        return kWrongUse;
    }
    if (const auto objection = objectionTo(a.body); !a.body.orbits.empty() && !objection.empty()) {
        Console::complain({ErrorId::OrbitUnknownSite, objection, ""});
        return kWrongUse;
    }
    const std::vector<fs::path> given(a.nights.begin(), a.nights.end());
    const auto files = night::nightFilesIn(given);
    if (files.empty()) {
        Console::complain(
            {ErrorId::NightFileDamaged, "There is no night file there.", a.nights[0]});
        return kWrongUse;
    }
    return a.body.body.empty() ? tellFields(a, files) : tellBody(a, files);
}

} // namespace

void addYearsVerb(CLI::App& program, Verb& chosen) {
    auto a = std::make_shared<YearsArguments>();
    CLI::App* verb = program.add_subcommand("years",
                                            "What many nights say together: a body's brightness, "
                                            "fields and how far they were searched");
    verb->add_option("nights", a->nights, "Night files, or folders that have them below")
        ->required();
    addBodyOptions(*verb, a->body);
    verb->add_flag("--unsearched", a->unsearched, "Only fields that no sweep has searched");
    verb->add_option("--csv", a->csv, "Write the table as CSV");
    verb->add_option("--votable", a->votable, "Write the table as VOTable");
    verb->add_option("--page", a->page, "Write a page with the body's curves, .html or .pdf");
    addCommonOptions(*verb, a->console);
    verb->final_callback([a, &chosen] { chosen = [a] { return years(*a); }; });
}

} // namespace pathmark::command
