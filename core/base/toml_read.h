#pragma once

#include <toml.hpp>

#include <exception>
#include <optional>
#include <string>
#include <vector>

namespace pathmark {

/// A number that may be written without a point; throws toml11's exception where it is none.
double tomlNumber(const toml::value& value);

/// What is wrong with a document, without the picture of the line that toml11 adds.
std::string tomlProblem(const std::exception& error);

/// The tables of a section that stands once, or several times in double brackets.
std::vector<toml::value> tomlTables(const toml::value& section);

/// A sentence on the first key of a section that nobody knows, with the nearest that is known.
std::optional<std::string> unknownTomlKey(const toml::value& section,
                                          const std::string& name,
                                          const std::vector<std::string>& known);

} // namespace pathmark
