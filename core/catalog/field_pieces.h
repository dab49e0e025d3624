#pragma once

#include "core/catalog/fetch.h"
#include "core/catalog/import.h"

#include <filesystem>
#include <string>
#include <vector>

namespace pathmark::catalog {

/// Stars from here on are all that public archives hold.
constexpr double kFaintestEver = 21.0;

/// A disc of the sky whose stars a store is to hold.
struct WantedField {
    SkyPos centre;
    Angle radius;
    double faintestG = kFaintestEver; ///< magnitude; kFaintestEver and fainter: all there are
};

/// Where it is fetched from and to.
struct FieldStore {
    std::string service;
    std::filesystem::path folder;
    std::string catalog; ///< its name in the folder
    double timeoutSeconds = 60.0;
    int tries = 3;
};

struct FieldReport {
    int pieces = 0;          ///< that the field falls into
    int fetched = 0;         ///< of them now
    std::uint64_t stars = 0; ///< in the catalogue, of all fields
};

/// Whether a catalogue holds all pieces of a field to that depth.
bool holdsField(const FieldStore& store, const WantedField& field);

/// Fetches what of a field is not there yet, in pieces of the sky, and makes the catalogue of all that was ever fetched anew.
///
/// Model    Pieces are cells of HEALPix (nested), smaller for small fields, each asked for as the circle around it and kept as a file of
///          its own (CATALOG.fields/), so that a transfer that breaks off goes on with the next piece. A cell of which the service sends
///          only a part falls into four.
/// Errors   as fetchField, after the catalogue was made of the pieces that came; base.*
/// Source   Gorski et al. 2005, ApJ 622, 759 (HEALPix).
Result<FieldReport> fetchPieces(const FieldStore& store, const WantedField& field, const Job& job);

} // namespace pathmark::catalog
