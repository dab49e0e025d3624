#include "core/night/needs/site_text.h"

#include "core/base/text.h"
#include "core/orbit/place/site_place.h"

#include <fmt/format.h>

#include <cmath>
#include <sstream>
#include <vector>

namespace pathmark::night {

Result<frame::Site> siteFromText(const std::string& text, const orbit::SiteCodes& codes) {
    std::istringstream stream(text);
    std::vector<std::string> words;
    for (std::string word; stream >> word;) {
        words.push_back(word);
    }
    if (words.size() == 1) {
        return codes.find(words.front());
    }
    frame::Site site;
    if (words.size() == 4) {
        site.code = words.front();
        words.erase(words.begin());
    }
    std::vector<double> numbers;
    for (const std::string& word : words) {
        if (const auto number = parseNumber(word); number && std::isfinite(*number)) {
            numbers.push_back(*number);
        }
    }
    if (words.size() != 3 || numbers.size() != 3 || std::abs(numbers[0]) > 360.0 ||
        std::abs(numbers[1]) > 90.0 || numbers[2] < -500.0 || numbers[2] > 9000.0) {
        return fail(ErrorId::OrbitUnknownSite,
                    "Give an observatory code, or longitude, latitude (degrees, east and north "
                    "positive) and altitude (metres).");
    }
    site.longitude = Angle::degrees(numbers[0]);
    site.latitude = Angle::degrees(numbers[1]);
    site.altitudeMetres = numbers[2];
    return site;
}

std::string siteText(const frame::Site& site) {
    const frame::Site place = orbit::geodetic(site);
    return fmt::format("{}{}{:.5f} {:.5f} {:.0f}",
                       place.code,
                       place.code.empty() ? "" : " ",
                       place.longitude.degrees(),
                       place.latitude.degrees(),
                       place.altitudeMetres);
}

double metresApart(const frame::Site& a, const frame::Site& b) {
    constexpr double earthRadiusMetres = 6.371e6;
    const frame::Site first = orbit::geodetic(a);
    const frame::Site second = orbit::geodetic(b);
    return earthRadiusMetres * separation(SkyPos{first.longitude, first.latitude},
                                          SkyPos{second.longitude, second.latitude})
                                   .radians();
}

const orbit::ListedSite*
nearestListed(const orbit::SiteCodes& codes, const frame::Site& place, double metres) {
    const orbit::ListedSite* nearest = nullptr;
    for (const auto& [code, listed] : codes.sites()) {
        if (!listed.hasPlace) {
            continue;
        }
        if (const double apart = metresApart(listed.site, place); apart < metres) {
            nearest = &listed;
            metres = apart;
        }
    }
    return nearest;
}

} // namespace pathmark::night
