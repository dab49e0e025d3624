#pragma once

#include "core/orbit/formats/site_codes.h"

#include <string>

namespace pathmark::night {

/// A site as one writes it: an observatory code, or longitude, latitude and altitude (degrees, east positive; metres), with a code
/// before them or not.
///
/// Errors   orbit.unknown_site  none of these, or a code that no list has
Result<frame::Site> siteFromText(const std::string& text, const orbit::SiteCodes& codes);

/// The same text of a site.
std::string siteText(const frame::Site& site);

/// How far apart two sites lie on the ground, in metres.
///
/// Accuracy a sphere: 0.5 %.
double metresApart(const frame::Site& a, const frame::Site& b);

/// The site of the lists within `metres` of a place, the nearest; null: none.
const orbit::ListedSite*
nearestListed(const orbit::SiteCodes& codes, const frame::Site& place, double metres);

} // namespace pathmark::night
