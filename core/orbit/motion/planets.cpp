#include "core/orbit/motion/planets.h"

#include "core/orbit/motion/constants.h"
#include "core/orbit/motion/spk_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <map>

namespace pathmark::orbit {
namespace {

constexpr int kBarycentre = 0;

std::string dateOf(double seconds) {
    return toIso(toUtc(Tdb::julian(2451545.0, seconds / kSecondsPerDay)), 0).substr(0, 10);
}

} // namespace

struct Planets::Store {
    struct Piece {
        const SpkFile* file = nullptr;
        SpkSegment segment;
    };

    std::vector<std::unique_ptr<SpkFile>> files;
    std::map<int, std::vector<Piece>> pieces; ///< by target, in the order of precedence
    std::string names;

    /// The map's look-up is passed over for the bodies that every step asks for.
    [[nodiscard]] const std::vector<Piece>* piecesOf(int target) const {
        if (target >= 0 && target < static_cast<int>(major.size())) {
            return major[static_cast<std::size_t>(target)];
        }
        const auto found = pieces.find(target);
        return found == pieces.end() ? nullptr : &found->second;
    }

    bool find(int target, double seconds, Vec3& place, Vec3* velocity) const;

    std::array<const std::vector<Piece>*, 400> major{};
};

bool Planets::Store::find(int target, double seconds, Vec3& place, Vec3* velocity) const {
    place = {};
    if (velocity != nullptr) {
        *velocity = {};
    }
    for (int depth = 0; target != kBarycentre; ++depth) {
        const auto* list = piecesOf(target);
        if (list == nullptr || depth > 8) {
            return false;
        }
        const auto piece = std::find_if(list->begin(), list->end(), [&](const Piece& p) {
            return seconds >= p.segment.start && seconds <= p.segment.end;
        });
        if (piece == list->end()) {
            return false;
        }
        double kilometres[3];
        double speed[3];
        piece->file->evaluate(
            piece->segment, seconds, kilometres, velocity == nullptr ? nullptr : speed);
        for (std::size_t i = 0; i < 3; ++i) {
            place[i] += kilometres[i] / kKilometresPerAu;
            if (velocity != nullptr) {
                (*velocity)[i] += speed[i] / kKilometresPerAu * kSecondsPerDay;
            }
        }
        target = piece->segment.centre;
    }
    return true;
}

Planets::Planets() : store_(std::make_unique<Store>()) {}

Planets::Planets(Planets&&) noexcept = default;
Planets& Planets::operator=(Planets&&) noexcept = default;
Planets::~Planets() = default;

Result<Planets> Planets::open(const std::filesystem::path& path) {
    return open(std::span(&path, 1));
}

Result<Planets> Planets::open(std::span<const std::filesystem::path> paths) {
    Planets planets;
    Store& store = *planets.store_;
    for (const auto& path : paths) {
        auto file = SpkFile::open(path);
        if (!file) {
            return fail(ErrorId::OrbitNotReadable,
                        "The planets' file is missing, damaged or no SPK kernel of type 2 or 3.",
                        path.string());
        }
        store.files.push_back(std::make_unique<SpkFile>(std::move(*file)));
        store.names += (store.names.empty() ? "" : ", ") + path.filename().string();
        // Later segments and later files take precedence, as the format says.
        for (const SpkSegment& segment : store.files.back()->segments()) {
            auto& list = store.pieces[segment.target];
            list.insert(list.begin(), {store.files.back().get(), segment});
        }
    }
    for (const auto& [target, list] : store.pieces) {
        if (target >= 0 && target < static_cast<int>(store.major.size())) {
            store.major[static_cast<std::size_t>(target)] = &list;
        }
    }
    return planets;
}

namespace {

constexpr double kMoonOverEarth = 1.0 / kEarthMoonMassRatio;

/// Earth from the centre of both and the Moon.
Vec3 earthFrom(const Vec3& centre, const Vec3& moon) {
    return centre - kMoonOverEarth * (moon - centre);
}

} // namespace

bool Planets::find(SpkBody body, double seconds, State& state) const {
    if (body != SpkBody::Earth || store_->major[399] != nullptr) {
        return store_->find(static_cast<int>(body), seconds, state.position, &state.velocity);
    }
    State centre;
    State moon;
    if (!find(SpkBody::EarthMoon, seconds, centre) || !find(SpkBody::Moon, seconds, moon)) {
        return false;
    }
    state.position = earthFrom(centre.position, moon.position);
    state.velocity = earthFrom(centre.velocity, moon.velocity);
    return true;
}

bool Planets::findPlace(SpkBody body, double seconds, Vec3& place) const {
    if (body != SpkBody::Earth || store_->major[399] != nullptr) {
        return store_->find(static_cast<int>(body), seconds, place, nullptr);
    }
    Vec3 centre{};
    Vec3 moon{};
    if (!findPlace(SpkBody::EarthMoon, seconds, centre) ||
        !findPlace(SpkBody::Moon, seconds, moon)) {
        return false;
    }
    place = earthFrom(centre, moon);
    return true;
}

bool Planets::has(SpkBody body) const {
    return store_->piecesOf(static_cast<int>(body)) != nullptr ||
           (body == SpkBody::Earth && has(SpkBody::EarthMoon) && has(SpkBody::Moon));
}

std::string Planets::coverage(SpkBody body) const {
    const auto* list = store_->piecesOf(static_cast<int>(body));
    if (list == nullptr) {
        return body == SpkBody::Earth ? coverage(SpkBody::EarthMoon) : "nothing of it";
    }
    std::vector<std::pair<double, double>> spans;
    for (const Store::Piece& piece : *list) {
        spans.emplace_back(piece.segment.start, piece.segment.end);
    }
    std::sort(spans.begin(), spans.end());
    std::string text;
    for (std::size_t i = 0; i < spans.size();) {
        auto [start, end] = spans[i];
        for (++i; i < spans.size() && spans[i].first <= end; ++i) {
            end = std::max(end, spans[i].second);
        }
        text += fmt::format("{}{} to {}", text.empty() ? "" : " and ", dateOf(start), dateOf(end));
    }
    return text;
}

Result<Planets::State> Planets::state(SpkBody body, const Tdb& time) const {
    State state;
    if (!find(body, secondsPastJ2000(time), state)) {
        return fail(ErrorId::OrbitOutsideEphemeris,
                    fmt::format("The planets' files have no place of body {} on {} (they cover "
                                "{}); give one that does with [orbits] planets.",
                                static_cast<int>(body),
                                dateOf(secondsPastJ2000(time)),
                                coverage(body)),
                    store_->names);
    }
    return state;
}

Result<Planets::State> Planets::sun(const Tdb& time) const {
    return state(SpkBody::Sun, time);
}

Result<Planets::State> Planets::earth(const Tdb& time) const {
    return state(SpkBody::Earth, time);
}

double secondsPastJ2000(const Tdb& time) {
    return time.secondsSince(Tdb::julian(2451545.0));
}

} // namespace pathmark::orbit
