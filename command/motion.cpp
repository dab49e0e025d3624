#include "command/motion.h"

#include "core/night/marks_table.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <cmath>
#include <memory>

namespace pathmark::command {
namespace {

/// The middle of the series.
Utc middleTime(std::span<const night::StackLight> lights) {
    const Utc& first = lights.front().middle;
    return first.plusSeconds(0.5 * lights.back().middle.secondsSince(first));
}

Result<Motion> onOrbit(const MotionArguments& a, std::span<const night::StackLight> lights) {
    auto found = seekBody(a.body);
    if (!found) {
        return fail(found.error());
    }
    auto sought = std::make_shared<SoughtBody>(std::move(*found));
    auto made = orbit::Ephemeris::make(sought->elements,
                                       sought->tables.planets,
                                       lights.front().middle.plusSeconds(-600.0),
                                       lights.back().middle.plusSeconds(600.0));
    if (!made) {
        return fail(made.error());
    }
    auto ephemeris = std::make_shared<orbit::Ephemeris>(std::move(*made));
    Motion motion;
    motion.object = sought->elements.name;
    motion.moves = true;
    motion.isComet = sought->elements.isComet();
    motion.at = [sought, ephemeris](const Utc& time) -> Result<SkyPos> {
        auto observer =
            orbit::observerAt(sought->tables.planets, sought->site, time, sought->tables.turn);
        if (!observer) {
            return fail(observer.error());
        }
        return ephemeris->directionFrom(*observer);
    };
    return motion;
}

Result<Motion>
throughMarks(const MotionArguments& a, std::span<const night::StackLight> lights, const Job& job) {
    auto marks = night::readMarks(a.marks, lights);
    if (!marks) {
        return fail(marks.error());
    }
    std::vector<stack::PathFrame> frames;
    for (const auto& light : lights) {
        frames.push_back({light.info.path,
                          light.place.wcs,
                          light.middle,
                          light.fwhmPixels > 0.0 ? light.fwhmPixels : 3.0});
    }
    auto path = stack::followMarks(frames, *marks, job);
    if (!path) {
        return fail(path.error());
    }
    Motion motion;
    motion.object = "marked";
    motion.moves = true;
    motion.isComet = true; // nobody said that it has none
    motion.points = path->points;
    motion.at = [followed = *path](const Utc& time) -> Result<SkyPos> { return followed.at(time); };
    return motion;
}

} // namespace

void addMotionOptions(CLI::App& verb, MotionArguments& a) {
    verb.add_flag("--stars", a.stars, "Add on the stars");
    addBodyOptions(verb, a.body);
    verb.add_option("--rate", a.rateArcsecPerMin, "Add on this motion, arcsec per minute");
    verb.add_option("--angle", a.angleDegrees, "towards this position angle, east of north");
    verb.add_option(
            "--near", a.nearRaDec, "RA and Dec of what moves so, at the middle of the series")
        ->expected(2);
    verb.add_option(
        "--marks", a.marks, "Add on a path through marks: CSV of file,x,y or file,ra,dec");
}

std::string objectionTo(const MotionArguments& a) {
    const int ways = (a.stars ? 1 : 0) + (a.body.body.empty() ? 0 : 1) +
                     (a.rateArcsecPerMin ? 1 : 0) + (a.marks.empty() ? 0 : 1);
    if (ways != 1) {
        return "Give one of --stars, --body, --rate and --marks.";
    }
    if (std::string objection = objectionTo(a.body); !objection.empty()) {
        return objection;
    }
    if (a.rateArcsecPerMin.has_value() != a.angleDegrees.has_value()) {
        return "--rate and --angle go together.";
    }
    if (a.rateArcsecPerMin &&
        (!(*a.rateArcsecPerMin >= 0.0) || !std::isfinite(*a.rateArcsecPerMin) ||
         !std::isfinite(*a.angleDegrees))) {
        return fmt::format(
            "--rate {:g} --angle {:g} is no motion.", *a.rateArcsecPerMin, *a.angleDegrees);
    }
    if (!a.nearRaDec.empty() && !isPlace(a.nearRaDec[0], a.nearRaDec[1])) {
        return fmt::format(
            "--near {:g} {:g} is no place of the sky.", a.nearRaDec[0], a.nearRaDec[1]);
    }
    return {};
}

Result<Motion> motionOf(const MotionArguments& a,
                        std::span<const night::StackLight> lights,
                        const SkyPos& centre,
                        const Job& job) {
    if (!a.body.body.empty()) {
        return onOrbit(a, lights);
    }
    if (!a.marks.empty()) {
        return throughMarks(a, lights, job);
    }
    Motion motion;
    if (a.stars) {
        motion.object = "stars";
        motion.at = [centre](const Utc&) -> Result<SkyPos> { return centre; };
        return motion;
    }
    const SkyPos place = a.nearRaDec.empty() ? centre : skyDegrees(a.nearRaDec[0], a.nearRaDec[1]);
    motion.object =
        fmt::format("{:g} arcsec/min at {:g} deg", *a.rateArcsecPerMin, *a.angleDegrees);
    motion.moves = true;
    motion.at = [place,
                 middle = middleTime(lights),
                 rate = *a.rateArcsecPerMin,
                 angle = Angle::degrees(*a.angleDegrees)](const Utc& time) -> Result<SkyPos> {
        return movedAlong(place, rate, angle, time.secondsSince(middle));
    };
    return motion;
}

} // namespace pathmark::command
