#include "core/catalog/field_pieces.h"

#include "core/catalog/star_store.h"

#include <fmt/format.h>
#include <healpix_base.h>
#include <rangeset.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <numbers>
#include <optional>

namespace pathmark::catalog {
namespace fs = std::filesystem;

namespace {

using Cells = T_Healpix_Base<std::int64_t>;

/// Sides of 0.23, 0.46 and 0.92 degrees: 6 to 40 pieces of any field.
constexpr int kFine = 8;
constexpr int kMiddle = 7;
constexpr int kCoarse = 6;
constexpr int kFinest = 12; ///< 50 arcsec: no service cuts off so few stars

/// One cell at one level of the division.
struct Piece {
    int order = 0;
    std::int64_t cell = 0;

    friend auto operator<=>(const Piece&, const Piece&) = default;
};

Cells cellsOf(int order) {
    return {order, NEST};
}

std::vector<Piece> piecesOf(const WantedField& field) {
    const double degrees = field.radius.degrees();
    const int order = degrees < 0.5 ? kFine : degrees < 1.6 ? kMiddle : kCoarse;
    rangeset<std::int64_t> found;
    cellsOf(order).query_disc_inclusive(
        pointing(0.5 * std::numbers::pi - field.centre.latitude.radians(),
                 field.centre.longitude.radians()),
        field.radius.radians(),
        found,
        4);
    std::vector<Piece> pieces;
    for (const std::int64_t cell : found.toVector()) {
        pieces.push_back({order, cell});
    }
    return pieces;
}

/// The circle around a piece.
WantedField circleOf(const Piece& piece, double faintestG) {
    const Cells cells = cellsOf(piece.order);
    const pointing middle = cells.pix2ang(piece.cell);
    std::vector<vec3> edge;
    cells.boundaries(piece.cell, 4, edge);
    double radius = 0.0;
    for (const vec3& point : edge) {
        radius = std::max(radius, std::acos(std::min(1.0, dotprod(middle.to_vec3(), point))));
    }
    return {{Angle::radians(middle.phi), Angle::radians(0.5 * std::numbers::pi - middle.theta)},
            Angle::radians(1.001 * radius),
            faintestG};
}

int depthOf(double faintestG) {
    return static_cast<int>(std::ceil(std::min(faintestG, kFaintestEver)));
}

std::string fileOf(const Piece& piece, int depth) {
    return fmt::format("h{}-{}-g{}.vot", piece.order, piece.cell, depth);
}

fs::path folderOf(const FieldStore& store) {
    return store.folder / (store.catalog + ".fields");
}

/// The pieces that are there, with the depth of each.
std::map<Piece, int> heldPieces(const FieldStore& store) {
    std::map<Piece, int> held;
    std::error_code status;
    for (fs::directory_iterator entry(folderOf(store), status), end; !status && entry != end;
         entry.increment(status)) {
        int order = 0;
        int depth = 0;
        long long cell = 0;
        const std::string name = entry->path().filename().string();
        if (std::sscanf(name.c_str(), "h%d-%lld-g%d.vot", &order, &cell, &depth) == 3) {
            int& deepest = held[{order, cell}];
            deepest = std::max(deepest, depth);
        }
    }
    return held;
}

/// Whether a piece is there: itself, one that it is part of, or its four parts.
bool isHeld(const std::map<Piece, int>& held, const Piece& piece, int depth) {
    for (Piece around = piece; around.order >= kCoarse;
         around = {around.order - 1, around.cell / 4}) {
        if (const auto found = held.find(around); found != held.end() && found->second >= depth) {
            return true;
        }
    }
    if (piece.order >= kFinest) {
        return false;
    }
    for (int part = 0; part < 4; ++part) {
        if (!isHeld(held, {piece.order + 1, 4 * piece.cell + part}, depth)) {
            return false;
        }
    }
    return true;
}

/// Fetches a piece, in four parts where it is too much at once.
Result<bool> fetchPiece(const FieldStore& store, const Piece& piece, int depth, const Job& job) {
    const WantedField circle = circleOf(piece, depth);
    FetchRequest request;
    request.service = store.service;
    request.centre = circle.centre;
    request.radius = circle.radius;
    if (depth < depthOf(kFaintestEver)) {
        request.faintestG = depth;
    }
    request.timeoutSeconds = store.timeoutSeconds;
    request.tries = store.tries;
    request.cache = folderOf(store);
    request.keepAs = fileOf(piece, depth);
    request.onlyWhole = piece.order < kFinest;
    const auto fetched = fetchField(request, job);
    if (!fetched) {
        return fail(fetched.error());
    }
    if (fetched->table.empty()) {
        for (int part = 0; part < 4; ++part) {
            if (auto done = fetchPiece(store, {piece.order + 1, 4 * piece.cell + part}, depth, job);
                !done) {
                return done;
            }
        }
    }
    // What is deeper makes the shallower needless.
    for (int shallower = depth - 1; shallower > 0; --shallower) {
        std::error_code ignored;
        fs::remove(folderOf(store) / fileOf(piece, shallower), ignored);
    }
    return true;
}

/// The catalogue of every table that was fetched.
Result<std::uint64_t> makeCatalogue(const FieldStore& store, const Job& job) {
    std::vector<fs::path> tables;
    std::error_code status;
    for (fs::directory_iterator entry(folderOf(store), status), end; !status && entry != end;
         entry.increment(status)) {
        if (entry->path().extension() == ".vot") {
            tables.push_back(entry->path());
        }
    }
    std::sort(tables.begin(), tables.end());
    const auto report = importTables(tables, store.folder, store.catalog, job);
    return report ? Result<std::uint64_t>(report->store.stars) : fail(report.error());
}

} // namespace

bool holdsField(const FieldStore& store, const WantedField& field) {
    const auto held = heldPieces(store);
    const auto pieces = piecesOf(field);
    return std::all_of(pieces.begin(), pieces.end(), [&](const Piece& piece) {
        return isHeld(held, piece, depthOf(field.faintestG));
    });
}

Result<FieldReport> fetchPieces(const FieldStore& store, const WantedField& field, const Job& job) {
    const auto pieces = piecesOf(field);
    const int depth = depthOf(field.faintestG);
    FieldReport report;
    report.pieces = static_cast<int>(pieces.size());
    std::optional<Error> problem;
    const auto held = heldPieces(store);
    int seen = 0;
    for (const Piece& piece : pieces) {
        job.progress("Fetching stars", seen++, report.pieces);
        if (isHeld(held, piece, depth)) {
            continue;
        }
        if (auto done = fetchPiece(store, piece, depth, job); !done) {
            problem = done.error();
            break; // the next would fare no better, and wait as long
        }
        ++report.fetched;
    }
    std::error_code ignored;
    const bool isMade = fs::exists(store.folder / (store.catalog + ".stars"), ignored);
    if (report.fetched > 0 || (!isMade && !problem)) {
        const auto stars = makeCatalogue(store, job);
        if (!stars) {
            return fail(stars.error());
        }
        report.stars = *stars;
    } else if (isMade) {
        if (const auto open = StarStore::open(store.folder, store.catalog)) {
            report.stars = open->starCount();
        }
    }
    return problem ? Result<FieldReport>(fail(*problem)) : report;
}

} // namespace pathmark::catalog
