#include "core/sweep/sweep.h"

#include "core/sweep/tile_search.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <numeric>

namespace pathmark::sweep {
namespace {

constexpr double kFirstShare = 0.78;  ///< of the S/N that a sum on whole pixels keeps at worst
constexpr double kSurely = 1.4;       ///< times the threshold: no chance, whatever the tails
constexpr double kChanceShare = 0.1;  ///< of the motions, searched for chance alone at least
constexpr double kMostOrders = 4.0;   ///< times all motions, at most
constexpr double kChancePeaks = 60.0; ///< that tell enough of it
constexpr double kChanceFrom =
    0.85; ///< of the threshold for Gaussian noise, from which peaks are counted
constexpr std::uint64_t kSeed = 20300101;
constexpr double kMostUnlike =
    4.0; ///< sigma by which a body's light may differ from frame to frame, and from a point's
constexpr std::size_t kMostRefined = 200000;

Error noMotion() {
    return {ErrorId::SweepNoMotion,
            "No motion lies within these bounds: a body must move by more than its own width over "
            "the frames, and --rate takes its smaller number first.",
            {}};
}

/// A sum that was followed to its peak.
struct Peak {
    Track track;
    double snr = 0.0;
    double information = 0.0;
    double wholeSnr = 0.0; ///< however much a single frame makes of it
    std::size_t zone = 0;  ///< where its hit came from
};

/// Searches and judges.
class Sweep {
  public:
    Sweep(LightMaps maps, const SweepOptions& options, const Job& job)
        : maps_(std::move(maps)), options_(options), job_(job), scale_(maps_),
          form_(meanWidth(maps_)), zones_(motionZones(options.bounds, maps_, form_)),
          tree_(maps_.times(), sharesOf(maps_)) {}

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

    Result<std::vector<FromZone>>
    search(std::span<const std::size_t> order, double snr, const Sample& sample, const char* what);
    [[nodiscard]] std::vector<Peak>
    peaksOf(const Tracks& tracks, std::vector<FromZone> hits, double least) const;
    Result<Chance> measureChance(const std::vector<Peak>& bodies, double from);
    [[nodiscard]] Candidate candidateOf(const Tracks& tracks, const Peak& peak) const;
    [[nodiscard]] std::string doubtOf(const Tracks& tracks, const Peak& peak) const;

    [[nodiscard]] FoundBody bodyOf(const Peak& peak) const {
        const auto frames = static_cast<double>(maps_.frames().size());
        return {peak.track, peak.wholeSnr / std::sqrt(frames)};
    }

    [[nodiscard]] double independentSums() const;

    LightMaps maps_;
    const SweepOptions& options_;
    const Job& job_;
    MotionScale scale_;
    TrailForm form_;
    std::vector<MotionZone> zones_;
    MotionTree tree_;
    double additions_ = 0.0;
};

std::size_t motionsOf(const std::vector<MotionZone>& zones) {
    return std::accumulate(
        zones.begin(), zones.end(), std::size_t{0}, [](std::size_t sum, const MotionZone& zone) {
            return sum + zone.count;
        });
}

/// An order of frames far from the true one and from its reverse: by steps of about 0.38 of all, or as far the other way.
std::vector<std::size_t> strangeOrder(std::size_t count, std::size_t round) {
    auto step =
        std::max<std::size_t>(2,
                              static_cast<std::size_t>((0.382 - 0.07 * static_cast<double>(round)) *
                                                       static_cast<double>(count)));
    while (std::gcd(step, count) != 1) {
        ++step;
    }
    std::vector<std::size_t> order;
    for (std::size_t i = 0; i < count; ++i) {
        order.push_back(i * step % count);
    }
    return order;
}

/// Places times motions: a place that was seen half a pixel beside counts for as much as motions that are alike take away.
double Sweep::independentSums() const {
    const double pixels = static_cast<double>(maps_.grid().width) * maps_.grid().height;
    return pixels * static_cast<double>(motionsOf(zones_));
}

Result<std::vector<Sweep::FromZone>> Sweep::search(std::span<const std::size_t> order,
                                                   double snr,
                                                   const Sample& sample,
                                                   const char* what) {
    ZoneSearch zoneSearch(maps_, order, tree_);
    std::vector<FromZone> hits;
    for (std::size_t z = 0; z < zones_.size(); ++z) {
        if (job_.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job_.progress(what, static_cast<int>(z), static_cast<int>(zones_.size()));
        zoneSearch.enter(zones_[z], z);
        auto found = zoneSearch.run(snr, sample, job_);
        additions_ += found.additions;
        for (Hit& hit : found.hits) {
            hits.push_back({hit, z});
        }
    }
    std::stable_sort(hits.begin(), hits.end(), [](const FromZone& a, const FromZone& b) {
        return a.hit.snr > b.hit.snr;
    });
    return hits;
}

/// The peaks that hits lead to, each once; light of a peak counts no more for lower ones.
std::vector<Peak>
Sweep::peaksOf(const Tracks& tracks, std::vector<FromZone> hits, double least) const {
    std::vector<Peak> peaks;
    std::vector<FoundBody> bodies;
    std::size_t refined = 0;
    for (const FromZone& from : hits) {
        const bool isKnown = std::any_of(peaks.begin(), peaks.end(), [&](const Peak& peak) {
            return tracks.isSame(peak.track, from.hit.track);
        });
        if (isKnown || refined == kMostRefined) {
            continue;
        }
        const TrackLight here = tracks.along(from.hit.track, bodies);
        if (here.information < kLeastCoverage || here.snr() < kFirstShare * least) {
            continue;
        }
        ++refined;
        Peak peak;
        peak.track = tracks.highest(from.hit.track, bodies);
        const TrackLight light = tracks.along(peak.track, bodies);
        peak.snr = light.snr();
        peak.information = light.information;
        peak.wholeSnr = tracks.along(peak.track, bodies, true).snr();
        peak.zone = from.zone;
        const bool isOne = std::any_of(peaks.begin(), peaks.end(), [&](const Peak& other) {
            return tracks.isSame(other.track, peak.track);
        });
        if (isOne || peak.snr < least || light.information < kLeastCoverage ||
            !options_.bounds.contains(scale_.rate(peak.track.velocity),
                                      scale_.angle(peak.track.velocity),
                                      form_.fwhm() / scale_.pixelsOfOne(),
                                      0.2)) {
            continue;
        }
        peaks.push_back(peak);
        bodies.push_back(bodyOf(peak));
    }
    return peaks;
}

/// Peaks of the frames in another order, without the bodies that are sure.
Result<Chance> Sweep::measureChance(const std::vector<Peak>& bodies, double from) {
    const Tracks asTheyAre(maps_);
    for (const Peak& body : bodies) {
        for (std::size_t i = 0; i < maps_.frames().size(); ++i) {
            maps_.blank(i,
                        body.track.at(maps_.times()[i]),
                        asTheyAre.reach(i, bodyOf(body)) + form_.fwhm());
        }
    }
    // As much of the motions, and as many orders, as it takes to see enough of chance.
    const double expected = std::pow(10.0, Chance::gaussian(independentSums()).log10Expected(from));
    const double wanted = std::clamp(kChancePeaks / expected, kChanceShare, kMostOrders);
    const Sample sample{kSeed, std::min(1.0, wanted)};
    std::vector<double> heights;
    const auto orders = static_cast<std::size_t>(std::ceil(wanted));
    for (std::size_t round = 0; round < orders; ++round) {
        const auto order = strangeOrder(maps_.frames().size(), round);
        auto hits = search(order, kFirstShare * from, sample, "Measuring what chance does");
        if (!hits) {
            return fail(hits.error());
        }
        const Tracks tracks(maps_, order);
        for (const Peak& peak : peaksOf(tracks, std::move(*hits), from)) {
            const Block block = blockOf(zones_[peak.zone], peak.track.velocity);
            if (sample.takes(peak.zone, block.i, block.j) && doubtOf(tracks, peak).empty()) {
                heights.push_back(peak.snr);
            }
        }
    }
    return Chance(heights, from, sample.share * static_cast<double>(orders));
}

Candidate Sweep::candidateOf(const Tracks& tracks, const Peak& peak) const {
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
    double sum = 0.0;
    int frames = 0;
    const double mean = peak.wholeSnr / std::sqrt(peak.information);
    for (std::size_t i = 0; i < maps_.frames().size(); ++i) {
        const FrameLight light = tracks.in(i, peak.track);
        if (light.information > 0.0) {
            const double off = light.light - mean * light.information;
            sum += off * off / light.information;
            ++frames;
        }
    }
    candidate.chiSquare = frames > 1 ? sum / (frames - 1) : 0.0;
    return candidate;
}

/// Why a peak is no body; empty where it may be one.
std::string Sweep::doubtOf(const Tracks& tracks, const Peak& peak) const {
    const double mean = peak.wholeSnr / std::sqrt(peak.information);
    TrackLight halves[2];
    double sum = 0.0;
    double highest = 0.0;
    int frames = 0;
    for (std::size_t i = 0; i < maps_.frames().size(); ++i) {
        const FrameLight here = tracks.in(i, peak.track);
        if (!(here.information >
              0.02 * peak.information / static_cast<double>(maps_.frames().size()))) {
            continue;
        }
        const double off = (here.light - mean * here.information) / std::sqrt(here.information);
        // A body's own light may vary; what a frame lacks of it is no surprise where it is bright.
        const double bearable = 1.0 + 0.3 * mean * std::sqrt(here.information);
        sum += off * off / (bearable * bearable);
        highest = std::max(highest, off / bearable);
        TrackLight& half = halves[maps_.times()[i] < 0.0 ? 0 : 1];
        half.light += here.light;
        half.information += here.information;
        ++frames;
    }
    if (frames < 3) {
        return "seen by fewer than three frames";
    }
    if ((sum - (frames - 1)) / std::sqrt(2.0 * (frames - 1)) > kMostUnlike) {
        return "its light is not there frame by frame";
    }
    if (highest > 0.6 * peak.wholeSnr && highest > kMostUnlike) {
        return "one frame makes most of it";
    }
    for (const TrackLight& half : halves) {
        const double expected = mean * std::sqrt(half.information);
        if (half.information > 0.1 * peak.information &&
            half.snr() < 0.6 * expected - 0.5 * kMostUnlike) {
            return "its light is in one half of the time only";
        }
    }
    // A point's light has fallen to a quarter at one width; what is wider is a coma, a ghost, a bad subtraction.
    double aside = 0.0;
    for (int k = 0; k < 4; ++k) {
        Track beside = peak.track;
        beside.place.x += form_.fwhm() * ((k & 1) != 0 ? 1.0 : -1.0) * ((k & 2) != 0 ? 1.0 : 0.0);
        beside.place.y += form_.fwhm() * ((k & 1) != 0 ? 1.0 : -1.0) * ((k & 2) != 0 ? 0.0 : 1.0);
        aside += 0.25 * tracks.along(beside, {}, true).snr();
    }
    const double trail =
        std::hypot(peak.track.velocity.x, peak.track.velocity.y) * tracks.trailShare(0);
    const double most = form_.along(trail, form_.fwhm());
    if (aside > 0.5 * (1.0 + most) * peak.wholeSnr + 0.5 * kMostUnlike) {
        return "wider than a star";
    }
    return {};
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
    std::vector<std::size_t> order(maps_.frames().size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    auto hits = search(order, kFirstShare * expected, {}, "Adding along all motions");
    if (!hits) {
        return fail(hits.error());
    }
    const Tracks tracks(maps_);
    const std::vector<Peak> peaks = peaksOf(tracks, std::move(*hits), 0.9 * expected);
    std::vector<std::string> doubts;
    std::vector<Peak> sure;
    for (const Peak& peak : peaks) {
        doubts.push_back(doubtOf(tracks, peak));
        if (peak.snr > kSurely * expected && doubts.back().empty()) {
            sure.push_back(peak);
        }
    }
    std::vector<Candidate> candidates; // before what is sure is taken out of the maps
    for (const Peak& peak : peaks) {
        candidates.push_back(candidateOf(tracks, peak));
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
    job_.message(
        fmt::format("{} peaks of chance in the same frames in another order, slope {:.2f}; "
                    "threshold S/N {:.2f} ({:.2f} for Gaussian noise).",
                    chance->peaks(),
                    chance->slope(),
                    result.thresholdSnr,
                    expected));
    return result;
}

} // namespace

Result<SweepPlan> planOf(const LightMaps& maps, const MotionBounds& bounds) {
    const auto zones = motionZones(bounds, maps, TrailForm(meanWidth(maps)));
    SweepPlan plan;
    plan.motions = motionsOf(zones);
    if (plan.motions == 0) {
        return fail(noMotion());
    }
    const double pixels = static_cast<double>(maps.grid().width) * maps.grid().height;
    plan.additions = 2.2 * (1.0 + kChanceShare) * pixels * static_cast<double>(plan.motions);
    const bool isTrailed = std::any_of(zones.begin(), zones.end(), [](const MotionZone& zone) {
        return zone.trail.x != 0.0 || zone.trail.y != 0.0;
    });
    plan.bytes = (isTrailed ? 5.0 : 3.0) * pixels * static_cast<double>(maps.frames().size());
    return plan;
}

Result<SweepResult> sweepOver(LightMaps maps, const SweepOptions& options, const Job& job) {
    return Sweep(std::move(maps), options, job).make();
}

} // namespace pathmark::sweep
