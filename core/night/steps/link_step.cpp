#include "core/night/steps/link_step.h"

#include "core/base/robust.h"
#include "core/identify/link_tracks.h"
#include "core/night/light_sources.h"
#include "core/night/own_names.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/same_field.h"
#include "core/night/settings_text.h"
#include "core/night/steps/candidate_places.h"
#include "core/night/steps/step.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

namespace pathmark::night {
namespace {

/// A match that chance would make less often than this explains its source.
constexpr double kSureChance = 0.05;
/// What stands within so many widths of a star from a known body is its own light.
constexpr double kOwnWidths = 1.5;
/// Two lists of places are the same track where this share of the shorter one is common.
constexpr double kSameShare = 0.5;
/// A list to be looked at by a tired observer: one false candidate in ten fields.
constexpr double kMostFalseTracks = 0.1;
/// A candidate moves by so many widths of a star at least.
constexpr double kLeastTravel = 1.2;
/// Numbers of a night run from 01 to Z9.
constexpr std::size_t kMostNames = 360;

/// The lights of one night that look at one field, and what may move in them.
struct Field {
    std::vector<const LightRecord*> lights;
    std::vector<identify::LinkFrame> frames;
    std::vector<std::vector<SourceRecord>> records; ///< as in the frames
};

/// The solved lights in groups that look at the same part of the sky in one night, whatever their filter.
std::vector<std::vector<const LightRecord*>> fieldsOf(const std::vector<LightRecord>& lights) {
    std::vector<const LightRecord*> solved;
    std::vector<FieldOfView> views;
    for (const LightRecord& light : lights) {
        if (light.solved()) {
            solved.push_back(&light);
            views.push_back(
                {light.skyMiddle(),
                 Angle::arcsec(std::hypot(light.width, light.height) * light.wcs->scaleArcsec()),
                 light.middle});
        }
    }
    std::vector<std::vector<const LightRecord*>> fields;
    for (const auto& members : sameFields(views)) {
        fields.emplace_back();
        for (const std::size_t i : members) {
            fields.back().push_back(solved[i]);
        }
    }
    return fields;
}

/// Indices of the sources of a light that a known body explains: its own, and those so near that they are parts of it, as
/// the core of a coma falls into several.
std::set<std::size_t> explained(const LightRecord& light,
                                const std::vector<SourceRecord>& records,
                                const std::vector<PredictionRecord>& predictions) {
    const double reach = kOwnWidths * std::max(2.0, light.fwhmPixels);
    std::set<std::size_t> sources;
    for (const PredictionRecord& p : predictions) {
        if (p.frame != light.frame || !p.match || p.match->chance >= kSureChance) {
            continue;
        }
        const frame::PixelPos own = records[p.match->source].pixel;
        for (std::size_t i = 0; i < records.size(); ++i) {
            const frame::PixelPos other = records[i].pixel;
            if (std::hypot(other.x - own.x, other.y - own.y) < reach) {
                sources.insert(i);
            }
        }
    }
    return sources;
}

Result<Field> loadField(const NightRun& run, const std::vector<const LightRecord*>& lights) {
    Field field;
    for (const LightRecord* light : lights) {
        auto stored = run.file().sources(*light);
        if (!stored) {
            return fail(stored.error());
        }
        std::vector<SourceRecord> records = std::move(*stored);
        identify::LinkFrame frame;
        frame.middle = light->middle;
        const double right = light->width - 0.5;
        const double top = light->height - 0.5;
        for (const frame::PixelPos corner : {frame::PixelPos{-0.5, -0.5},
                                             frame::PixelPos{right, -0.5},
                                             frame::PixelPos{right, top},
                                             frame::PixelPos{-0.5, top}}) {
            frame.corners.push_back(light->wcs->toSky(corner));
        }
        frame.sources = sourcesOnSky(*light, records);
        // Neither is an unknown body: what a known one explains, and what is sharper than any star: a hot pixel follows
        // the drift of the frames as if it moved.
        for (const std::size_t known : explained(*light, records, run.predictions)) {
            frame.sources[known].isStar = true;
        }
        for (std::size_t i = 0; i < records.size(); ++i) {
            frame.sources[i].isStar |= (records[i].flags & detect::kSharp) != 0;
        }
        field.lights.push_back(light);
        field.frames.push_back(std::move(frame));
        field.records.push_back(std::move(records));
    }
    return field;
}

TrackRecord recordOf(const identify::Track& track, const Field& field) {
    TrackRecord record;
    for (const auto& member : track.members) {
        const SourceRecord& s = field.records[member.frame][member.source];
        record.members.push_back({field.lights[member.frame]->frame, s.pixel, s.snr});
    }
    record.reference = track.reference;
    record.place = track.place;
    record.rateArcsecPerMin = std::hypot(track.xiArcsecPerMin, track.etaArcsecPerMin);
    record.positionAngleDegrees =
        normalised(Angle::radians(std::atan2(track.xiArcsecPerMin, track.etaArcsecPerMin)))
            .degrees();
    record.reducedChiSquare = track.chiSquare / std::max(1, track.freedom);
    record.framesLooked = track.framesLooked;
    record.falseTracksLog10 = track.falseTracksLog10;
    return record;
}

/// The known body of the field that moves most alike, if one does not far away: an old orbit, perhaps.
void findLikeness(TrackRecord& record,
                  const identify::Track& track,
                  const std::vector<PredictionRecord>& predictions) {
    constexpr double mostArcsec = 600.0;
    double least = mostArcsec;
    for (const PredictionRecord& p : predictions) {
        const double angle = p.positionAngleDegrees * kRadiansPerDegree;
        const double off = std::hypot(p.rateArcsecPerMin * std::sin(angle) - track.xiArcsecPerMin,
                                      p.rateArcsecPerMin * std::cos(angle) - track.etaArcsecPerMin);
        if (off > 0.02 + 0.03 * record.rateArcsecPerMin) {
            continue;
        }
        const double apart = separation(p.sky, track.at(p.time)).arcsec();
        if (apart < least) {
            least = apart;
            record.resembles = p.body.text();
            record.resemblesArcsec = apart;
        }
    }
}

bool sameTrack(const TrackRecord& a, const TrackRecord& b) {
    std::size_t common = 0;
    for (const auto& member : a.members) {
        common += static_cast<std::size_t>(
            std::count_if(b.members.begin(), b.members.end(), [&](const auto& other) {
                return other.frame == member.frame &&
                       std::hypot(other.pixel.x - member.pixel.x, other.pixel.y - member.pixel.y) <
                           1.5;
            }));
    }
    return static_cast<double>(common) >=
           kSameShare * static_cast<double>(std::min(a.members.size(), b.members.size()));
}

/// The tens go on with letters: 359 a night.
std::string nameOf(const Utc& night, std::size_t number) {
    return ownName('c', night, std::min(number / 10, kOwnDigits.size() - 1), number % 10);
}

/// Tracks that the observer decided about keep their names; the others are numbered as a first run would.
void nameTracks(std::vector<TrackRecord>& tracks, const std::vector<TrackRecord>& decided) {
    std::set<std::string> taken;
    for (const TrackRecord& old : decided) {
        taken.insert(old.name);
    }
    std::set<std::string> reused;
    for (TrackRecord& track : tracks) {
        for (const TrackRecord& old : decided) {
            if (!reused.contains(old.name) && sameTrack(track, old)) {
                track.name = old.name;
                reused.insert(old.name);
                break;
            }
        }
    }
    for (TrackRecord& track : tracks) {
        for (std::size_t number = 1; track.name.empty() && number < kMostNames; ++number) {
            const std::string name = nameOf(track.reference, number);
            if (taken.insert(name).second) {
                track.name = name;
            }
        }
    }
}

/// The tracks that a decision hangs on: of the last run, and of earlier ones.
Result<std::vector<TrackRecord>> decidedTracks(const NightRun& run) {
    auto tracks = run.file().tracks();
    auto earlier = run.file().rememberedTracks();
    if (!tracks || !earlier) {
        return fail(tracks ? earlier.error() : tracks.error());
    }
    for (TrackRecord& old : *earlier) {
        if (std::none_of(tracks->begin(), tracks->end(), [&](const TrackRecord& track) {
                return track.name == old.name;
            })) {
            tracks->push_back(std::move(old));
        }
    }
    std::erase_if(*tracks, [&](const TrackRecord& track) {
        const BodyId body = BodyId::of(track.name);
        return std::none_of(track.members.begin(), track.members.end(), [&](const auto& member) {
            return run.calibration.decided.measurements.contains(
                measurementId(body, {member.frame}));
        });
    });
    return tracks;
}

/// What the track's own sources say of its brightness.
std::optional<double> magnitudeOf(const identify::Track& track, const Field& field) {
    std::vector<double> magnitudes;
    for (const auto& member : track.members) {
        const LightRecord& light = *field.lights[member.frame];
        const double flux = field.records[member.frame][member.source].flux;
        if (light.photometry && flux > 0.0) {
            magnitudes.push_back(solve::toMagnitude(
                *light.photometry, flux, light.exposureSeconds, solve::kBodyColour));
        }
    }
    if (magnitudes.empty()) {
        return std::nullopt;
    }
    const auto middle = magnitudes.begin() + static_cast<std::ptrdiff_t>(magnitudes.size() / 2);
    std::nth_element(magnitudes.begin(), middle, magnitudes.end());
    return *middle;
}

/// Where the track is in every light of the field: what stacks and measurements go by.
void predictTrack(const TrackRecord& record,
                  const identify::Track& track,
                  const Field& field,
                  std::vector<PredictionRecord>& predictions) {
    const auto magnitude = magnitudeOf(track, field);
    double snr = 0.0;
    for (const auto& member : record.members) {
        snr += member.snr / static_cast<double>(record.members.size());
    }
    for (std::size_t f = 0; f < field.lights.size(); ++f) {
        const LightRecord& light = *field.lights[f];
        const SkyPos sky = track.at(light.middle);
        // Tracks are fitted to places at the frames' middles; what a rolling shutter delays, it delays by about as much in all.
        auto place = candidateOn(light, record.name, sky);
        if (!place) {
            continue;
        }
        PredictionRecord& p = *place;
        p.rateArcsecPerMin = record.rateArcsecPerMin;
        p.positionAngleDegrees = record.positionAngleDegrees;
        p.magnitude = magnitude;
        p.snr = snr;
        for (const auto& member : track.members) {
            if (member.frame == f) {
                const auto& source = field.frames[f].sources[member.source];
                const PlanePos off = toTangentPlane(sky, source.sky);
                const double xi = off.xi / kRadiansPerArcsec;
                const double eta = off.eta / kRadiansPerArcsec;
                p.match = PredictionRecord::Match{member.source,
                                                  xi,
                                                  eta,
                                                  (xi * xi + eta * eta) /
                                                      (source.sigmaArcsec * source.sigmaArcsec),
                                                  0.0,
                                                  source.snr};
            }
        }
        predictions.push_back(std::move(p));
    }
}

/// The unknown bodies of one field, and where each is predicted in its lights.
struct FieldTracks {
    std::vector<TrackRecord> tracks;                   ///< likeliest first, without names
    std::vector<std::vector<PredictionRecord>> places; ///< by track, without names
};

ProductKey keyOf(const NightRun& run, const std::vector<const LightRecord*>& lights) {
    ProductKey key("link", versionOf("link"));
    key.settings(settingsText(run.recipe.candidates));
    for (const LightRecord* light : lights) {
        const auto matches = run.matchKeys.find(light->frame);
        key.input("sources", light->keys.sources)
            .input("solution", light->keys.solution)
            .input("zero point", light->keys.zeroPoint)
            .input("time", toIso(light->middle, 6))
            .input("row delay", fmt::format("{}", light->rowSeconds))
            .input("matches", matches == run.matchKeys.end() ? std::string() : matches->second);
    }
    return key;
}

/// How far a source must move before it is no longer one with where it was: stars that are narrower than two pixels are no
/// better told apart than those that are two pixels wide.
double leastTravel(const std::vector<const LightRecord*>& lights) {
    std::vector<double> widths;
    widths.reserve(lights.size());
    for (const LightRecord* light : lights) {
        widths.push_back(std::max(2.0, light->fwhmPixels) * light->wcs->scaleArcsec());
    }
    return kLeastTravel * medianInPlace(std::span(widths));
}

Result<FieldTracks> linkField(const NightRun& run, const std::vector<const LightRecord*>& lights) {
    FieldTracks result;
    auto field = loadField(run, lights);
    if (!field) {
        return fail(field.error());
    }
    identify::LinkOptions options;
    options.leastArcsecPerMin = run.recipe.candidates.slowestArcsecPerMin;
    options.mostArcsecPerMin = run.recipe.candidates.fastestArcsecPerMin;
    options.mostFalseTracks = kMostFalseTracks;
    options.leastTravelArcsec = leastTravel(lights);
    for (const auto& track : identify::linkTracks(field->frames, options)) {
        TrackRecord record = recordOf(track, *field);
        findLikeness(record, track, run.predictions);
        result.places.emplace_back();
        predictTrack(record, track, *field, result.places.back());
        result.tracks.push_back(std::move(record));
    }
    return result;
}

/// From the night file where they are there already.
Result<FieldTracks> tracksOf(NightRun& run, const std::vector<const LightRecord*>& lights) {
    const ProductKey key = keyOf(run, lights);
    FieldTracks result;
    if (const auto product = run.file().product(key.hex())) {
        const auto info = nlohmann::json::parse(product->info);
        result.tracks = record_json::read<std::vector<TrackRecord>>(info.at("tracks"));
        result.places =
            record_json::read<std::vector<std::vector<PredictionRecord>>>(info.at("places"));
        return result;
    }
    auto made = linkField(run, lights);
    if (!made) {
        return made;
    }
    if (run.isStopped()) {
        return stopped();
    }
    for (auto& list : made->places) {
        for (PredictionRecord& p : list) {
            p.file.clear();
        }
    }
    const nlohmann::json info{{"tracks", record_json::write(made->tracks)},
                              {"places", record_json::write(made->places)}};
    const Product product{
        key.hex(), ProductKind::Tracks, {}, {}, {}, info.dump(), {}, key.origin()};
    if (auto stored = run.file().putProducts(std::span(&product, 1)); !stored) {
        return fail(stored.error());
    }
    return made;
}

} // namespace

Result<bool> linkStep(NightRun& run) {
    std::vector<TrackRecord> records;
    std::vector<std::vector<PredictionRecord>> places;
    if (run.recipe.candidates.search) {
        const auto fields = fieldsOf(run.lights);
        int done = 0;
        for (const auto& group : fields) {
            if (run.isStopped()) {
                return stopped();
            }
            run.job().progress(
                "Looking for unknown bodies", done++, static_cast<int>(fields.size()));
            auto found = tracksOf(run, group);
            if (!found) {
                return fail(found.error());
            }
            std::move(found->tracks.begin(), found->tracks.end(), std::back_inserter(records));
            std::move(found->places.begin(), found->places.end(), std::back_inserter(places));
        }
    }
    const auto decided = decidedTracks(run);
    if (!decided) {
        return fail(decided.error());
    }
    if (auto stored = run.file().rememberTracks(*decided); !stored) {
        return stored;
    }
    nameTracks(records, *decided);
    if (const auto nameless = std::count_if(
            records.begin(), records.end(), [](const auto& r) { return r.name.empty(); })) {
        run.job().message(fmt::format(
            "{} more candidates were found than have a name; the likeliest are listed.", nameless));
    }
    std::map<FrameId, std::filesystem::path> files;
    for (const LightRecord& light : run.lights) {
        files[light.frame] = light.raw;
    }
    for (std::size_t i = 0; i < records.size(); ++i) {
        for (PredictionRecord& p : places[i]) {
            if (!records[i].name.empty()) {
                p.title = records[i].name;
                p.body = BodyId::of(p.title);
                p.file = files[p.frame];
                run.predictions.push_back(std::move(p));
            }
        }
    }
    std::erase_if(records, [](const TrackRecord& r) { return r.name.empty(); });
    run.tracks = std::move(records);
    if (auto stored = run.file().replaceTracks(run.tracks); !stored) {
        return stored;
    }
    return run.file().replacePredictions(run.predictions);
}

} // namespace pathmark::night
