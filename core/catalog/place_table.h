#pragma once

#include "core/base/angle.h"
#include "core/base/result.h"

#include <filesystem>
#include <optional>
#include <vector>

namespace pathmark::catalog {

/// Where the rows of any VOTable lie on the sky: by the columns whose UCD is pos.eq.ra and pos.eq.dec, or that are called ra and dec or
/// their like; degrees. A row without a place is nullopt.
///
/// Errors   catalog.bad_table  no VOTable, none as TABLEDATA, no such columns, or more than 200 MB
/// Source   VOTable 1.4, IVOA Recommendation 2019; UCD1+ 1.4
Result<std::vector<std::optional<SkyPos>>> placesOf(const std::filesystem::path& table);

} // namespace pathmark::catalog
