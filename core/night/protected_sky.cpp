#include "core/night/protected_sky.h"

#include "core/base/csv_field.h"
#include "core/base/text.h"
#include "core/calibrate/groups.h"
#include "core/frame/image_path.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>
#include <optional>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using calibrate::ProtectedDisc;

constexpr std::array kColumns{"file", "x", "y", "radius"};

tl::unexpected<Error> badMarks(const fs::path& path, std::string words) {
    return fail(ErrorId::NightBadMarks, std::move(words), path.string());
}

/// The places of the columns in a row; nothing where one is missing.
std::optional<std::array<std::size_t, kColumns.size()>>
placesIn(const std::vector<std::string>& head) {
    std::array<std::size_t, kColumns.size()> places{};
    for (std::size_t c = 0; c < kColumns.size(); ++c) {
        const auto found = std::find_if(head.begin(), head.end(), [&](const std::string& field) {
            return toLower(trim(field)) == kColumns[c];
        });
        if (found == head.end()) {
            return std::nullopt;
        }
        places[c] = static_cast<std::size_t>(found - head.begin());
    }
    return places;
}

bool isNamed(const frame::FrameInfo& info, const std::string& file) {
    const fs::path wanted(file);
    return info.path == wanted || info.path.filename() == wanted ||
           frame::frameStem(info.path) == file;
}

ProtectedDisc between(const ProtectedDisc& a, const ProtectedDisc& b, double share) {
    // A radius is not carried on beyond the marks: it would soon be nothing, or the frame.
    const double inside = std::clamp(share, 0.0, 1.0);
    return {{a.centre.x + share * (b.centre.x - a.centre.x),
             a.centre.y + share * (b.centre.y - a.centre.y)},
            a.radius + inside * (b.radius - a.radius)};
}

} // namespace

Result<std::vector<ProtectedMark>> readProtectedMarks(const fs::path& path) {
    std::ifstream stream(path);
    std::string line;
    if (!stream || !std::getline(stream, line)) {
        return badMarks(path, "The table of marks cannot be read.");
    }
    const auto places = placesIn(csvFields(trim(withoutByteOrderMark(line))));
    if (!places) {
        return badMarks(path, "The first line must name the columns file, x, y, radius.");
    }
    std::vector<ProtectedMark> marks;
    for (int number = 2; std::getline(stream, line); ++number) {
        if (trim(line).empty()) {
            continue;
        }
        const auto fields = csvFields(trim(line));
        std::array<double, 3> values{};
        bool isDisc = fields.size() > *std::max_element(places->begin(), places->end());
        for (std::size_t c = 1; c < kColumns.size() && isDisc; ++c) {
            const auto value = parseNumber(fields[(*places)[c]]);
            isDisc = value && std::isfinite(*value);
            values[c - 1] = value.value_or(0.0);
        }
        if (!isDisc || values[2] <= 0.0) {
            return badMarks(path, fmt::format("Line {} holds no disc.", number));
        }
        marks.push_back(
            {fields[places->front()], {frame::fromFits({values[0], values[1]}), values[2]}});
    }
    return marks;
}

ProtectedSky::ProtectedSky(const CalibrationSettings& settings,
                           const Decided& decided,
                           std::span<const frame::FrameInfo> frames)
    : fixed_(settings.protect) {
    const auto add = [&](const ProtectedDisc& disc, const auto& isMarked) {
        for (const frame::FrameInfo& info : frames) {
            if (info.kind == frame::FrameKind::Light && info.midExposure && isMarked(info)) {
                std::erase_if(marks_, [&](const Mark& m) { return m.frame.id == info.id; });
                marks_.push_back({info, disc});
                return true;
            }
        }
        return false;
    };
    for (const ProtectedMark& mark : settings.protectMarks) {
        if (!add(mark.disc, [&](const auto& info) { return isNamed(info, mark.file); })) {
            unknown_.push_back(mark.file);
        }
    }
    // What the observer marked in the window goes over what a file says of the same frame.
    for (const auto& [frame, disc] : decided.protectedDiscs) {
        add(disc, [&, id = frame](const auto& info) { return info.id == id; });
    }
    std::stable_sort(marks_.begin(), marks_.end(), [](const Mark& a, const Mark& b) {
        return *a.frame.midExposure < *b.frame.midExposure;
    });
}

std::vector<ProtectedDisc> ProtectedSky::on(const frame::FrameInfo& light) const {
    std::vector<ProtectedDisc> discs = fixed_;
    std::vector<const Mark*> own;
    for (const Mark& mark : marks_) {
        if (calibrate::sameTarget(mark.frame, light) &&
            calibrate::sameDetector(mark.frame, light)) {
            own.push_back(&mark);
        }
    }
    if (own.empty()) {
        return discs;
    }
    if (own.size() == 1 || !light.midExposure) {
        discs.push_back(own.front()->disc);
        return discs;
    }
    std::size_t next = 1;
    while (next + 1 < own.size() && *own[next]->frame.midExposure < *light.midExposure) {
        ++next;
    }
    const Mark& a = *own[next - 1];
    const Mark& b = *own[next];
    const double span = b.frame.midExposure->secondsSince(*a.frame.midExposure);
    const double share =
        span > 0.0 ? light.midExposure->secondsSince(*a.frame.midExposure) / span : 0.0;
    discs.push_back(between(a.disc, b.disc, share));
    return discs;
}

std::string ProtectedSky::textOn(const frame::FrameInfo& light) const {
    std::string text;
    for (const ProtectedDisc& disc : on(light)) {
        text += fmt::format("{:.2f} {:.2f} {:.2f};", disc.centre.x, disc.centre.y, disc.radius);
    }
    return text;
}

} // namespace pathmark::night
