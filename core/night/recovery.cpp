#include "core/night/recovery.h"

#include "core/base/atomic_file.h"
#include "core/night/same_field.h"
#include "core/sweep/path_search.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>
#include <memory>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr int kNodes = 81; ///< members that are followed exactly
constexpr double kRateSeconds = 60.0;
constexpr double kRoomWidths = 30.0; ///< of a star about the line, for its breadth and for chance
constexpr int kBlockFrames = 5;      ///< that are moved together
constexpr std::size_t kLeastInField = 4;
constexpr std::size_t kMostMeasured = 5;
constexpr double kNowhere = sweep::FramePath::kNowhere;

/// A stretch of pixels of a frame.
struct Cut {
    int left = 0;
    int bottom = 0;
    int width = 0;
    int height = 0;
};

/// What of a frame the line crosses; of no width where it does not.
Cut cutAbout(const sweep::FramePath& path, const StackLight& light) {
    double left = 1e9;
    double right = -1e9;
    double bottom = 1e9;
    double top = -1e9;
    double length = 0.0;
    for (std::size_t k = 0; k < path.line.size(); ++k) {
        const frame::PixelPos& at = path.line[k];
        if (at.x == kNowhere) {
            continue;
        }
        length =
            k > 0 && path.line[k - 1].x != kNowhere
                ? std::max(length, std::hypot(at.x - path.line[k - 1].x, at.y - path.line[k - 1].y))
                : length;
        // Only what is near the frame: a line may go round the sky.
        if (at.x > -0.5 * light.info.width && at.x < 1.5 * light.info.width &&
            at.y > -0.5 * light.info.height && at.y < 1.5 * light.info.height) {
            left = std::min(left, at.x);
            right = std::max(right, at.x);
            bottom = std::min(bottom, at.y);
            top = std::max(top, at.y);
        }
    }
    if (left > right) {
        return {};
    }
    double room = kRoomWidths * std::max(1.0, light.fwhmPixels) + length;
    for (const sweep::Velocity& aside : path.aside) {
        room += std::hypot(aside.x, aside.y);
    }
    Cut cut;
    cut.left = std::max(0, static_cast<int>(std::floor(left - room)));
    cut.bottom = std::max(0, static_cast<int>(std::floor(bottom - room)));
    cut.width = std::min(light.info.width, static_cast<int>(std::ceil(right + room))) - cut.left;
    cut.height = std::min(light.info.height, static_cast<int>(std::ceil(top + room))) - cut.bottom;
    return cut;
}

frame::Image cutOf(const frame::Image& image, const Cut& cut) {
    frame::Image part(cut.width, cut.height);
    for (int y = 0; y < cut.height; ++y) {
        const auto row = image.row(cut.bottom + y).subspan(static_cast<std::size_t>(cut.left));
        std::copy_n(row.begin(), cut.width, part.row(y).begin());
    }
    return part;
}

/// Pixels that a body crosses while the shutter is open.
sweep::Velocity trailOf(const LostPath& way, const StackLight& light) {
    const double half = 0.5 * kRateSeconds;
    const auto before = way.at(light.middle.plusSeconds(-half));
    const auto after = way.at(light.middle.plusSeconds(half));
    const auto start = before ? light.place.wcs.toPixel(*before) : std::nullopt;
    const auto end = after ? light.place.wcs.toPixel(*after) : std::nullopt;
    if (!start || !end) {
        return {};
    }
    const double share = light.info.exposureSeconds / kRateSeconds;
    return {share * (end->x - start->x), share * (end->y - start->y)};
}

/// The search over the fields of a set of lights.
class Search {
  public:
    Search(std::span<const StackLight> lights,
           const LostBody& body,
           fs::path folder,
           const Job& job)
        : lights_(lights), body_(body), folder_(std::move(folder)), job_(job) {}

    Result<Recovery> make(double falseAlarms, int groups);

  private:
    Result<bool> layOut(const LostPaths& paths);
    Result<bool> readField(std::size_t field);
    Result<RecoveredBody>
    measure(const LostPaths& paths, const sweep::FoundPath& found, int groups) const;
    [[nodiscard]] Result<sweep::Candidate>
    candidateIn(const LostPath& way, std::size_t field, const sweep::FoundPath& found) const;

    [[nodiscard]] Result<SkyPos> searchedAt(const LostPath& way,
                                            std::size_t field,
                                            std::size_t light,
                                            const sweep::FoundPath& found) const;

    std::span<const StackLight> lights_;
    const LostBody& body_;
    fs::path folder_;
    const Job& job_;
    std::vector<std::vector<std::size_t>> fields_;     ///< places in `lights_`
    std::vector<std::vector<StackLight>> lightsOf_;    ///< of each field
    std::vector<std::optional<SweepLights>> ready_;    ///< of each field; none: it is left out
    std::vector<std::vector<sweep::FramePath>> paths_; ///< of each field and light
    std::vector<double> fluxScales_;                   ///< of each light
    std::vector<sweep::PathFrame> frames_;
    sweep::PathFamily family_;
    double pixels_ = 0.0;
};

/// Where every light has the line.
Result<bool> Search::layOut(const LostPaths& paths) {
    family_.coordinates = paths.coordinates();
    family_.asideSigmas = paths.asideSigmas();
    paths_.resize(fields_.size());
    for (std::size_t f = 0; f < fields_.size(); ++f) {
        paths_[f].resize(fields_[f].size());
    }
    const auto forEach = [&](const auto& use) {
        for (std::size_t f = 0; f < fields_.size(); ++f) {
            for (std::size_t i = 0; i < fields_[f].size(); ++i) {
                use(lightsOf_[f][i], paths_[f][i]);
            }
        }
    };
    const auto pixelOf = [](const LostPath& way, const StackLight& light) {
        const auto sky = way.at(light.middle);
        const auto pixel = sky ? light.place.wcs.toPixel(*sky) : std::nullopt;
        return pixel.value_or(frame::PixelPos{kNowhere, kNowhere});
    };
    for (int k = 0; k < kNodes; ++k) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job_.progress("Following orbits of the family", k, kNodes);
        const double along = 2.0 * k / (kNodes - 1) - 1.0;
        family_.logLikely.push_back(paths.logLikelyAlong(along));
        const auto way = paths.pathOf({along, 0.0, 0.0});
        if (!way && 2 * k + 1 == kNodes) {
            return fail(way.error());
        }
        if (!way) { // a member that meets the Earth, say
            forEach([](const StackLight&, sweep::FramePath& path) {
                path.line.push_back({kNowhere, kNowhere});
            });
            continue;
        }
        forEach([&](const StackLight& light, sweep::FramePath& path) {
            path.line.push_back(pixelOf(**way, light));
            if (2 * k + 1 == kNodes) {
                path.trail = trailOf(**way, light);
            }
        });
    }
    for (std::size_t d = 1; d < family_.coordinates; ++d) {
        std::array<double, 3> q{};
        q[d] = 1.0;
        const auto way = paths.pathOf(q);
        const auto middle = paths.pathOf({});
        if (!way || !middle) {
            return fail(way ? middle.error() : way.error());
        }
        forEach([&](const StackLight& light, sweep::FramePath& path) {
            const auto there = pixelOf(**way, light);
            const auto here = pixelOf(**middle, light);
            if (there.x != kNowhere && here.x != kNowhere) {
                path.aside[d - 1] = {there.x - here.x, there.y - here.y};
            }
        });
    }
    return true;
}

/// Takes the unmoving sky out of a field, and filters what of its frames the line crosses.
Result<bool> Search::readField(std::size_t field) {
    const auto& lights = lightsOf_[field];
    std::vector<Cut> cuts;
    bool isCrossed = false;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        cuts.push_back(cutAbout(paths_[field][i], lights[i]));
        isCrossed = isCrossed || (cuts.back().width > 0 && cuts.back().height > 0);
    }
    if (!isCrossed) {
        return true;
    }
    if (lights.size() < kLeastInField) {
        job_.message(fmt::format("{}: fewer than four frames of this field; its stars cannot be "
                                 "taken out, and it is left out.",
                                 lights.front().info.path.filename().string()));
        return true;
    }
    const fs::path folder = folder_ / fmt::format("field{}", field);
    if (auto made = makeFolder(folder); !made) {
        return made;
    }
    auto ready = SweepLights::prepare(lights, folder, job_);
    if (!ready) {
        return fail(ready.error());
    }
    ready_[field].emplace(*std::move(ready));
    const std::size_t firstBlock = frames_.empty() ? 0 : frames_.back().block + 1;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        const Cut& cut = cuts[i];
        if (cut.width <= 0 || cut.height <= 0) {
            continue;
        }
        const auto pixels = ready_[field]->pixels(i);
        if (!pixels) {
            return fail(pixels.error());
        }
        const double fwhm = lights[i].fwhmPixels > 0.0 ? lights[i].fwhmPixels : kUsualStarPixels;
        sweep::PathFrame frame;
        frame.filtered = sweep::filterFrame(
            {cutOf(pixels->light, cut), cutOf(pixels->variance, cut)}, fwhm, lights[i].beta);
        if (!(frame.filtered.usual > 0.0)) {
            continue;
        }
        frame.corner = {static_cast<double>(cut.left), static_cast<double>(cut.bottom)};
        frame.fluxScale = fluxScales_[fields_[field][i]];
        frame.fwhmPixels = fwhm;
        frame.block = firstBlock + i / kBlockFrames;
        frames_.push_back(std::move(frame));
        family_.frames.push_back(paths_[field][i]);
        pixels_ += static_cast<double>(cut.width) * cut.height;
    }
    return true;
}

/// Where a light was searched for a member: far along a long line that is a little aside of the member's own place, as what lies aside is
/// told in the middle of the line.
Result<SkyPos> Search::searchedAt(const LostPath& way,
                                  std::size_t field,
                                  std::size_t light,
                                  const sweep::FoundPath& found) const {
    const frame::PixelPos at = paths_[field][light].at(found.q);
    const StackLight& there = lightsOf_[field][light];
    return at.x == kNowhere ? way.at(there.middle) : Result<SkyPos>(there.place.wcs.toSky(at));
}

/// The member's motion in the middle of a field: straight, with a bend.
Result<sweep::Candidate>
Search::candidateIn(const LostPath& way, std::size_t field, const sweep::FoundPath& found) const {
    const auto& lights = lightsOf_[field];
    sweep::Candidate candidate;
    const double half = 0.5 * lights.back().middle.secondsSince(lights.front().middle);
    candidate.time = lights.front().middle.plusSeconds(half);
    const auto exact = way.at(candidate.time);
    const auto before = searchedAt(way, field, 0, found);
    const auto after = searchedAt(way, field, lights.size() - 1, found);
    const auto middle = searchedAt(way, field, lights.size() / 2, found);
    const auto exactMiddle = way.at(lights[lights.size() / 2].middle);
    if (!exact || !before || !after || !middle || !exactMiddle) {
        return fail(!exact    ? exact.error()
                    : !before ? before.error()
                    : !after  ? after.error()
                    : !middle ? middle.error()
                              : exactMiddle.error());
    }
    const SkyPos place = fromTangentPlane(*exact, toTangentPlane(*exactMiddle, *middle));
    candidate.sky = place;
    const PlanePos first = toTangentPlane(place, *before);
    const PlanePos last = toTangentPlane(place, *after);
    const double east = 0.5 * (last.xi - first.xi) / kRadiansPerArcsec;
    const double north = 0.5 * (last.eta - first.eta) / kRadiansPerArcsec;
    candidate.rateArcsecPerMin = std::hypot(east, north) / std::max(1.0, half) * 60.0;
    candidate.positionAngle = normalised(Angle::radians(std::atan2(east, north)));
    const double bendEast = 0.5 * (last.xi + first.xi) / kRadiansPerArcsec;
    const double bendNorth = 0.5 * (last.eta + first.eta) / kRadiansPerArcsec;
    candidate.bendArcsec = std::hypot(bendEast, bendNorth);
    candidate.bendAngle = normalised(Angle::radians(std::atan2(bendEast, bendNorth)));
    candidate.bendSeconds = std::max(1.0, half);
    candidate.snr = found.wholeSnr;
    candidate.electrons = found.electrons;
    candidate.log10FalseAlarms = found.log10FalseAlarms;
    return candidate;
}

Result<RecoveredBody>
Search::measure(const LostPaths& paths, const sweep::FoundPath& found, int groups) const {
    RecoveredBody body;
    body.snr = found.wholeSnr;
    body.log10FalseAlarms = found.log10FalseAlarms;
    body.electrons = found.electrons;
    body.sigmasAlong = kLineSigmas * found.q[0];
    const auto way = paths.pathOf(found.q);
    if (!way) {
        return fail(way.error());
    }
    for (std::size_t f = 0; f < fields_.size(); ++f) {
        if (!ready_[f]) {
            continue;
        }
        RecoveredField field;
        field.lights = fields_[f];
        auto candidate = candidateIn(**way, f, found);
        if (!candidate) {
            return fail(candidate.error());
        }
        field.candidate = *std::move(candidate);
        const StackLight& example = lightsOf_[f][lightsOf_[f].size() / 2];
        const auto pixel = example.place.wcs.toPixel(field.candidate.sky);
        if (!pixel || pixel->x < 0.0 || pixel->y < 0.0 || pixel->x > example.info.width - 1.0 ||
            pixel->y > example.info.height - 1.0) {
            continue; // it is not in this field
        }
        const CandidateStackFiles files = [&](const auto&, std::size_t, auto members) {
            return CandidateStackFile{folder_ /
                                          fmt::format("recovered_{}_{}.fits", f, members.front()),
                                      "a stack of a recovery"};
        };
        auto measured = ready_[f]->measure(std::span(&field.candidate, 1), groups, files, job_);
        if (!measured) {
            return fail(measured.error());
        }
        field.measured = std::move(measured->front());
        body.fields.push_back(std::move(field));
    }
    return body;
}

Result<Recovery> Search::make(double falseAlarms, int groups) {
    std::vector<FieldOfView> views;
    for (const StackLight& light : lights_) {
        views.push_back(fieldOfView(light));
    }
    fields_ = sameFields(views);
    for (const auto& members : fields_) {
        lightsOf_.emplace_back();
        for (const std::size_t i : members) {
            lightsOf_.back().push_back(lights_[i]);
        }
    }
    ready_.resize(fields_.size());
    for (const stack::StackFrame& frame : stackFramesOf(lights_, 0)) {
        fluxScales_.push_back(frame.fluxScale);
    }
    const auto paths = LostPaths::make(body_, lights_, fields_);
    if (!paths) {
        return fail(paths.error());
    }
    if (auto done = layOut(**paths); !done) {
        return fail(done.error());
    }
    for (std::size_t f = 0; f < fields_.size(); ++f) {
        if (auto done = readField(f); !done) {
            return fail(done.error());
        }
    }
    if (frames_.size() < kLeastInField) {
        return fail(ErrorId::SweepNoMotion,
                    "The line on which the orbit may be off crosses fewer than four of these "
                    "frames: give frames of other places, or an orbit with a larger error.");
    }
    const auto start = std::chrono::steady_clock::now();
    const auto found = sweep::searchPaths(frames_, family_, falseAlarms, job_);
    if (!found) {
        return fail(found.error());
    }
    Recovery recovery;
    recovery.seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    recovery.tried = found->tried;
    recovery.thresholdSnr = found->thresholdSnr;
    recovery.frames = frames_.size();
    recovery.pixels = pixels_;
    for (std::size_t k = 0; k < std::min(kMostMeasured, found->found.size()); ++k) {
        auto body = measure(**paths, found->found[k], groups);
        if (!body) {
            return fail(body.error());
        }
        recovery.found.push_back(*std::move(body));
    }
    return recovery;
}

} // namespace

Result<Recovery> recover(std::span<const StackLight> lights,
                         const LostBody& body,
                         double falseAlarms,
                         int groups,
                         const fs::path& folder,
                         const Job& job) {
    return Search(lights, body, folder, job).make(falseAlarms, groups);
}

} // namespace pathmark::night
