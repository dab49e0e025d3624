#include "core/sweep/sweep.h"

#include "core/base/parallel.h"
#include "core/stack/time_groups.h"
#include "core/sweep/doubts.h"
#include "core/sweep/kept_hits.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <limits>
#include <numeric>

namespace pathmark::sweep {
namespace {

constexpr double kFirstShare = 0.78;  ///< of the S/N that a sum on whole pixels keeps at worst
constexpr double kBends = 1.7;        ///< times the threshold: enough light to tell a bend by
constexpr double kSurely = 1.4;       ///< times the threshold: no chance, whatever the tails
constexpr double kChanceShare = 0.1;  ///< of the motions, searched for chance alone at least
constexpr double kMostFields = 4.0;   ///< times all motions, at most
constexpr int kBlockFrames = 5;       ///< about, that are moved together
constexpr double kBlockWidths = 5.0;  ///< of a star, by which blocks are moved at least
constexpr double kChancePeaks = 60.0; ///< that tell enough of it
constexpr double kChanceFrom =
    0.83; ///< of the threshold for Gaussian noise, peaks above which are counted
constexpr std::uint64_t kSeed = 20300101;
constexpr double kAngleBeside = 0.2; ///< radians beside the bounds that a peak may lie
constexpr std::size_t kBatch = 64;   ///< hits that are followed at a time
constexpr std::size_t kMostRefined = 200000;
constexpr double kAdditionsPerSecond = 7e9; ///< of one core, about
constexpr double kPartAdditions = 5e10; ///< after which a search keeps what it has, some seconds
constexpr double kMostMotions = 2e7;    ///< some hours of a field of four megapixels
constexpr std::size_t kMostToldAtOnce = 20;

Error noMotion() {
    return {ErrorId::SweepNoMotion,
            "No motion lies within these bounds: a body must move by more than its own width over "
            "the frames, and --rate takes its smaller number first.",
            {}};
}

/// A lattice of all of them must be possible.
Result<bool> checkBounds(const MotionBounds& bounds, const LightMaps& maps) {
    const double motions = mostMotions(bounds, maps, TrailForm(meanWidth(maps)));
    if (!(motions < kMostMotions)) {
        return fail(
            ErrorId::SweepTooWide,
            fmt::format("These bounds hold some {:.2g} motions, and {:.2g} can be tried: take "
                        "a smaller most rate (--rate) or a narrower range of position angles "
                        "(--angle). What moves faster shows in single frames.",
                        motions,
                        kMostMotions));
    }
    return true;
}

/// Whether a track is that of a peak.
bool isOneOf(const Tracks& tracks, const std::vector<Peak>& peaks, const Track& track) {
    return std::any_of(peaks.begin(), peaks.end(), [&](const Peak& peak) {
        return tracks.isSame(peak.track, track);
    });
}

/// Searches and judges.
class Sweep {
  public:
    Sweep(LightMaps maps, const SweepOptions& options, const Job& job)
        : maps_(std::move(maps)), options_(options), job_(job), scale_(maps_),
          form_(meanWidth(maps_)), zones_(motionZones(options.bounds, maps_, form_)),
          tree_(maps_.times(), sharesOf(maps_)), kept_(options.kept) {}

    Result<SweepResult> make();

  private:
    static std::vector<double> sharesOf(const LightMaps& maps) {
        std::vector<double> shares;
        for (std::size_t i = 0; i < maps.frames().size(); ++i) {
            shares.push_back(maps.map(i).share);
        }
        return shares;
    }

    struct FromZone {
        Hit hit;
        std::size_t zone;
    };

    /// What is searched: frames as they are, or moved against each other.
    struct Pass {
        std::vector<Slot> slots;
        double snr = 0.0;
        Sample sample;
        std::string stage; ///< for a person
        std::string name;  ///< of the parts that are kept
        bool tells = false;
    };

    Result<std::vector<FromZone>> search(const Pass& pass);
    Result<SearchResult> searchPart(const ZoneSearch& zoneSearch,
                                    const Pass& pass,
                                    const std::string& name,
                                    std::size_t first,
                                    std::size_t end);
    void tell(const std::vector<Hit>& hits, std::size_t zone, double least);
    [[nodiscard]] Peak
    climb(const Tracks& tracks, const FromZone& from, std::span<const FoundBody> bodies) const;
    [[nodiscard]] bool isWithinBounds(const Peak& peak) const;
    [[nodiscard]] std::vector<Peak>
    peaksOf(const Tracks& tracks, std::vector<FromZone> hits, double least) const;
    Result<Chance> measureChance(const std::vector<Peak>& bodies, double from);
    [[nodiscard]] Candidate
    candidateOf(const Tracks& tracks, const Peak& peak, std::span<const FoundBody> brighter) const;

    [[nodiscard]] FoundBody bodyOf(const Tracks& tracks, const Peak& peak) const {
        const auto frames = static_cast<double>(maps_.frames().size());
        return tracks.body(peak.track, peak.wholeSnr / std::sqrt(frames));
    }

    [[nodiscard]] double independentSums() const;

    LightMaps maps_;
    const SweepOptions& options_;
    const Job& job_;
    MotionScale scale_;
    TrailForm form_;
    std::vector<MotionZone> zones_;
    MotionTree tree_;
    KeptHits kept_;
    std::vector<Peak> told_;
    double additions_ = 0.0;
    double leastToBend_ = 1e9; ///< S/N from which a way is fitted with its bend
};

std::size_t motionsOf(const std::vector<MotionZone>& zones) {
    return std::accumulate(
        zones.begin(), zones.end(), std::size_t{0}, [](std::size_t sum, const MotionZone& zone) {
            return sum + zone.count;
        });
}

/// The frames in blocks of time, each block moved by some widths of a star against the others: what a block shows by itself stays, what
/// moves from block to block adds up no more.
std::vector<Slot> blocksApart(const LightMaps& maps, double width, std::size_t round) {
    std::vector<Utc> times;
    for (const SweepFrame& frame : maps.frames()) {
        times.push_back(frame.middle);
    }
    auto slots = maps.asTheyAre();
    const int count = std::clamp(static_cast<int>(times.size()) / kBlockFrames, 3, 8);
    std::size_t block = 0;
    for (const auto& members : stack::splitInTime(times, count)) {
        const double angle = 2.4 * static_cast<double>(block) + 0.7 * static_cast<double>(round);
        const double far = kBlockWidths * width * (1.0 + 0.5 * static_cast<double>(block % 2));
        for (const std::size_t i : members) {
            slots[i].shiftX = static_cast<int>(std::lround(far * std::cos(angle)));
            slots[i].shiftY = static_cast<int>(std::lround(far * std::sin(angle)));
        }
        ++block;
    }
    return slots;
}

/// Places times motions: a place that was seen half a pixel beside counts for as much as motions that are alike take away.
double Sweep::independentSums() const {
    const double pixels = static_cast<double>(maps_.grid().width) * maps_.grid().height;
    return pixels * static_cast<double>(motionsOf(zones_));
}

/// Some tiles of a zone; from what was kept of an earlier search where it got so far.
Result<SearchResult> Sweep::searchPart(const ZoneSearch& zoneSearch,
                                       const Pass& pass,
                                       const std::string& name,
                                       std::size_t first,
                                       std::size_t end) {
    if (auto known = kept_.part(name)) {
        return *std::move(known);
    }
    auto found = zoneSearch.run(pass.snr, pass.sample, first, end, job_);
    if (job_.stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    if (auto done = kept_.keep(name, found); !done) {
        return fail(done.error());
    }
    return found;
}

Result<std::vector<Sweep::FromZone>> Sweep::search(const Pass& pass) {
    ZoneSearch zoneSearch(maps_, pass.slots, tree_);
    std::vector<FromZone> hits;
    const auto all = static_cast<double>(motionsOf(zones_));
    double done = 0.0; ///< motions
    for (std::size_t z = 0; z < zones_.size(); ++z) {
        zoneSearch.enter(zones_[z], z);
        const std::size_t tiles = zoneSearch.tiles();
        const auto perPart = static_cast<std::size_t>(
            std::clamp(kPartAdditions / (pass.sample.share * zoneSearch.additionsOfTile()),
                       2.0 * static_cast<double>(threadLimit()),
                       static_cast<double>(tiles) + 2.0 * static_cast<double>(threadLimit())));
        for (std::size_t first = 0; first < tiles; first += perPart) {
            const double share = static_cast<double>(first) / static_cast<double>(tiles);
            const double before = (done + share * static_cast<double>(zones_[z].count)) / all;
            job_.progress(pass.stage, static_cast<int>(all * before), static_cast<int>(all));
            const std::size_t end = std::min(tiles, first + perPart);
            const auto found = searchPart(
                zoneSearch, pass, fmt::format("{}_{}_{}_{}", pass.name, z, first, end), first, end);
            if (!found) {
                return fail(found.error());
            }
            additions_ += found->additions;
            for (const Hit& hit : found->hits) {
                hits.push_back({hit, z});
            }
            if (pass.tells) {
                tell(found->hits, z, pass.snr / kFirstShare);
            }
        }
        done += static_cast<double>(zones_[z].count);
    }
    std::stable_sort(hits.begin(), hits.end(), [](const FromZone& a, const FromZone& b) {
        return a.hit.snr > b.hit.snr;
    });
    return hits;
}

/// Candidates as they turn up, before chance is measured and brighter ones have taken their light.
void Sweep::tell(const std::vector<Hit>& hits, std::size_t zone, double least) {
    if (!options_.onFound) {
        return;
    }
    std::vector<Hit> highest;
    std::copy_if(hits.begin(), hits.end(), std::back_inserter(highest), [&](const Hit& hit) {
        return hit.snr > least;
    });
    std::stable_sort(
        highest.begin(), highest.end(), [](const Hit& a, const Hit& b) { return a.snr > b.snr; });
    const Tracks tracks(maps_);
    std::size_t tried = 0;
    for (const Hit& hit : highest) {
        if (tried >= kMostToldAtOnce || isOneOf(tracks, told_, hit.track)) {
            continue;
        }
        ++tried;
        const Peak peak = climb(tracks, {hit, zone}, {});
        if (peak.snr > least && !isOneOf(tracks, told_, peak.track) && isWithinBounds(peak) &&
            doubtOf(maps_, tracks, peak, {}).empty()) {
            told_.push_back(peak);
            options_.onFound(candidateOf(tracks, peak, {}));
        }
    }
}

/// The peaks that hits lead to, each once; light of a peak counts no more for lower ones.
std::vector<Peak>
Sweep::peaksOf(const Tracks& tracks, std::vector<FromZone> hits, double least) const {
    std::vector<Peak> peaks;
    std::vector<FoundBody> bodies;
    std::size_t refined = 0;
    for (std::size_t next = 0; next < hits.size() && refined < kMostRefined;) {
        // Several at a time, those that nothing found so far explains.
        std::vector<FromZone> batch;
        for (; next < hits.size() && batch.size() < kBatch; ++next) {
            if (!isOneOf(tracks, peaks, hits[next].hit.track)) {
                batch.push_back(hits[next]);
            }
        }
        std::vector<Peak> climbed(batch.size());
        parallelFor(batch.size(), [&](std::size_t k) {
            const TrackLight here = tracks.along(batch[k].hit.track, bodies);
            if (here.information >= kLeastCoverage && here.snr() >= kFirstShare * least) {
                climbed[k] = climb(tracks, batch[k], bodies);
            }
        });
        refined += batch.size();
        for (Peak& peak : climbed) {
            // What was found in this batch takes its light from the rest of it.
            if (peak.snr < least || isOneOf(tracks, peaks, peak.track) ||
                tracks.along(peak.track, bodies).snr() < least || !isWithinBounds(peak)) {
                continue;
            }
            peaks.push_back(peak);
            bodies.push_back(bodyOf(tracks, peak));
        }
    }
    return peaks;
}

Peak Sweep::climb(const Tracks& tracks,
                  const FromZone& from,
                  std::span<const FoundBody> bodies) const {
    Peak peak;
    peak.track = tracks.highest(from.hit.track, bodies, leastToBend_);
    const TrackLight light = tracks.along(peak.track, bodies);
    peak.snr = light.snr();
    peak.information = light.information;
    peak.wholeSnr = tracks.along(peak.track, bodies, true).snr();
    peak.zone = from.zone;
    leaveOutStruck(maps_, tracks, bodies, peak);
    if (peak.information < kLeastCoverage) {
        peak.snr = 0.0;
    }
    return peak;
}

bool Sweep::isWithinBounds(const Peak& peak) const {
    return options_.bounds.contains(scale_.rate(peak.track.velocity),
                                    scale_.angle(peak.track.velocity),
                                    form_.fwhm() / scale_.pixelsOfOne(),
                                    kAngleBeside);
}

/// How much of a sweep is searched for chance alone: as much of the motions, and as many such fields, as it takes to see enough of it.
double chanceShare(const Chance& gaussian, double from) {
    return std::clamp(
        kChancePeaks / std::pow(10.0, gaussian.log10Expected(from)), kChanceShare, kMostFields);
}

/// Peaks of frames moved against each other, without the bodies that are sure.
Result<Chance> Sweep::measureChance(const std::vector<Peak>& bodies, double from) {
    const Tracks asTheyAre(maps_);
    for (const Peak& body : bodies) {
        for (std::size_t i = 0; i < maps_.frames().size(); ++i) {
            maps_.blank(i,
                        body.track.at(maps_.times()[i]),
                        asTheyAre.reach(i, bodyOf(asTheyAre, body)) + form_.fwhm());
        }
    }
    const double wanted = chanceShare(Chance::gaussian(independentSums()), from);
    const Sample sample{kSeed, std::min(1.0, wanted)};
    std::vector<double> heights;
    const auto fields = static_cast<std::size_t>(std::ceil(wanted));
    for (std::size_t round = 0; round < fields; ++round) {
        const Pass pass{blocksApart(maps_, form_.fwhm(), round),
                        kFirstShare * from,
                        sample,
                        fields > 1
                            ? fmt::format("Measuring what chance does, {} of {}", round + 1, fields)
                            : "Measuring what chance does",
                        fmt::format("chance{}", round),
                        false};
        auto hits = search(pass);
        if (!hits) {
            return fail(hits.error());
        }
        const Tracks tracks(maps_, pass.slots);
        for (const Peak& peak : peaksOf(tracks, std::move(*hits), from)) {
            const Block block = blockOf(zones_[peak.zone], peak.track.velocity);
            if (sample.takes(peak.zone, block.i, block.j) &&
                doubtOf(maps_, tracks, peak, {}).empty()) {
                heights.push_back(peak.snr);
            }
        }
    }
    return Chance(heights, from, sample.share * static_cast<double>(fields));
}

Candidate Sweep::candidateOf(const Tracks& tracks,
                             const Peak& peak,
                             std::span<const FoundBody> brighter) const {
    Candidate candidate;
    candidate.track = peak.track;
    candidate.sky = maps_.grid().wcs.toSky(peak.track.place);
    candidate.time = maps_.origin();
    candidate.rateArcsecPerMin = scale_.rate(peak.track.velocity);
    candidate.positionAngle = scale_.angle(peak.track.velocity);
    candidate.snr = peak.wholeSnr;
    const double all = std::sqrt(maps_.information());
    candidate.electronsError = 1.0 / (std::sqrt(peak.information) * all);
    candidate.electrons = peak.wholeSnr * candidate.electronsError;
    candidate.bendSeconds = maps_.unitSeconds();
    candidate.bendArcsec = scale_.rate(peak.track.bend) * maps_.unitSeconds() / 60.0;
    candidate.bendAngle = scale_.angle(peak.track.bend);
    for (std::size_t i = 0; i < maps_.frames().size(); ++i) {
        const FrameLight here = tracks.in(i, peak.track);
        const bool isSeen = here.information > 0.0 && !tracks.isTaken(i, peak.track, brighter);
        candidate.frameSnr.push_back(isSeen ? here.light / std::sqrt(here.information)
                                            : std::numeric_limits<double>::quiet_NaN());
    }
    return candidate;
}

Result<SweepResult> Sweep::make() {
    const auto start = std::chrono::steady_clock::now();
    SweepResult result;
    result.motions = motionsOf(zones_);
    if (result.motions == 0) {
        return fail(noMotion());
    }
    const Chance first = Chance::gaussian(independentSums());
    const double expected = first.threshold(options_.falseAlarms);
    leastToBend_ = kBends * expected;
    auto hits = search({maps_.asTheyAre(),
                        kFirstShare * expected,
                        {},
                        "Adding along all motions",
                        "motions",
                        static_cast<bool>(options_.onFound)});
    if (!hits) {
        return fail(hits.error());
    }
    const Tracks tracks(maps_);
    const std::vector<Peak> peaks = peaksOf(tracks, std::move(*hits), 0.9 * expected);
    std::vector<std::string> doubts;
    std::vector<Peak> sure;
    std::vector<FoundBody> brighter;   // than the next: their light counts no more
    std::vector<Candidate> candidates; // before what is sure is taken out of the maps
    for (const Peak& peak : peaks) {
        doubts.push_back(doubtOf(maps_, tracks, peak, brighter));
        candidates.push_back(candidateOf(tracks, peak, brighter));
        if (peak.snr > kSurely * expected && doubts.back().empty()) {
            sure.push_back(peak);
        }
        brighter.push_back(bodyOf(tracks, peak));
    }
    const auto chance = measureChance(sure, kChanceFrom * expected);
    if (!chance) {
        return fail(chance.error());
    }
    result.thresholdSnr = chance->threshold(options_.falseAlarms);
    for (std::size_t k = 0; k < candidates.size(); ++k) {
        Candidate& candidate = candidates[k];
        candidate.log10FalseAlarms = chance->log10Expected(candidate.snr);
        if (peaks[k].snr < result.thresholdSnr) {
            continue;
        }
        if (doubts[k].empty()) {
            result.candidates.push_back(candidate);
        } else {
            result.refused.push_back({candidate, doubts[k]});
        }
    }
    std::stable_sort(result.candidates.begin(),
                     result.candidates.end(),
                     [](const Candidate& a, const Candidate& b) { return a.snr > b.snr; });
    result.additions = additions_;
    result.seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    job_.message(fmt::format("{} peaks of chance in frames moved against each other, slope {:.2f}; "
                             "threshold S/N {:.2f} ({:.2f} for Gaussian noise).",
                             chance->peaks(),
                             chance->slope(),
                             result.thresholdSnr,
                             expected));
    return result;
}

} // namespace

SkyPos BentMotion::from(const SkyPos& place, double seconds) const {
    const double moved = rateArcsecPerMin * seconds / 60.0;
    const double bent = bendArcsec * (seconds / bendSeconds) * (seconds / bendSeconds);
    return offsetBy(
        place,
        moved * std::sin(positionAngle.radians()) + bent * std::sin(bendAngle.radians()),
        moved * std::cos(positionAngle.radians()) + bent * std::cos(bendAngle.radians()));
}

SkyPos Candidate::at(const Utc& when) const {
    return BentMotion{rateArcsecPerMin, positionAngle, bendArcsec, bendAngle, bendSeconds}.from(
        sky, when.secondsSince(time));
}

double SweepPlan::seconds() const {
    return additions / (kAdditionsPerSecond * static_cast<double>(threadLimit()));
}

Result<SweepPlan> planOf(const LightMaps& maps, const SweepOptions& options) {
    if (auto checked = checkBounds(options.bounds, maps); !checked) {
        return fail(checked.error());
    }
    const auto zones = motionZones(options.bounds, maps, TrailForm(meanWidth(maps)));
    SweepPlan plan;
    plan.motions = motionsOf(zones);
    if (plan.motions == 0) {
        return fail(noMotion());
    }
    const double pixels = static_cast<double>(maps.grid().width) * maps.grid().height;
    const double sums = pixels * static_cast<double>(plan.motions);
    const Chance gaussian = Chance::gaussian(sums);
    plan.thresholdSnr = gaussian.threshold(options.falseAlarms);
    const double again = chanceShare(gaussian, kChanceFrom * plan.thresholdSnr);
    plan.additions = kAdditionsOfSum * (1.0 + again) * sums;
    const bool isTrailed = std::any_of(zones.begin(), zones.end(), [](const MotionZone& zone) {
        return zone.trail.x != 0.0 || zone.trail.y != 0.0;
    });
    plan.bytes = (isTrailed ? 5.0 : 3.0) * pixels * static_cast<double>(maps.frames().size());
    return plan;
}

Result<SweepResult> sweepOver(LightMaps maps, const SweepOptions& options, const Job& job) {
    if (auto checked = checkBounds(options.bounds, maps); !checked) {
        return fail(checked.error());
    }
    return Sweep(std::move(maps), options, job).make();
}

} // namespace pathmark::sweep
