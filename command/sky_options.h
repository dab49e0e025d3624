#pragma once

#include "core/frame/frame_info.h"
#include "core/night/sky_tables.h"
#include "core/orbit/formats/site_codes.h"

#include <CLI/CLI.hpp>

#include <span>
#include <string>
#include <vector>

namespace pathmark::command {

/// Whether two numbers in degrees are a right ascension and a declination, or a longitude and a latitude.
bool isPlace(double longitude, double latitude);

/// The options of every verb that needs to know where the observer stood and how the Earth turned.
struct SkyOptions {
    std::string code;
    std::vector<double> geodetic;
    std::vector<std::string> lists;
    std::vector<std::string> kernels;
    std::string earthOrientation;
};

/// --site, --site-geodetic, --sites, --planets, --earth-orientation.
void addSkyOptions(CLI::App& verb, SkyOptions& options);

/// The same options as words of a command.
std::vector<std::string> wordsOf(const SkyOptions& options);

/// The lists named, or the observer's own where none is.
///
/// Errors   orbit.not_readable
Result<orbit::SiteCodes> codesFrom(std::span<const std::string> lists);

/// Errors   orbit.unknown_site  no list has the code, or no site was given
Result<frame::Site> siteOf(const SkyOptions& options);

/// Errors   orbit.not_readable
Result<night::SkyTables> tablesOf(const SkyOptions& options);

} // namespace pathmark::command
