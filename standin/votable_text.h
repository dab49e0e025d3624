#pragma once

#include "standin/star_rows.h"

#include <string>
#include <vector>

namespace pathmark::standin {

/// How the rows of a VOTable are written.
enum class Serialization { TableData, Binary2 };

/// A VOTable document of some rows and columns.
std::string votableText(const StarRows& table,
                        const std::vector<std::string>& columns,
                        const std::vector<std::size_t>& rows,
                        Serialization serialization,
                        bool cutOff);

/// A VOTable document that says what went wrong.
std::string errorText(const std::string& problem);

} // namespace pathmark::standin
