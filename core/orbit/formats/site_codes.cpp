#include "core/orbit/formats/site_codes.h"

#include "core/base/text.h"
#include "core/orbit/formats/columns.h"

#include <cctype>
#include <cmath>
#include <fstream>

namespace pathmark::orbit {
namespace {

bool isCode(std::string_view text) {
    return text.size() == 3 && std::isalnum(static_cast<unsigned char>(text[0])) != 0 &&
           std::isdigit(static_cast<unsigned char>(text[1])) != 0 &&
           std::isdigit(static_cast<unsigned char>(text[2])) != 0;
}

std::optional<ListedSite> parseLine(std::string_view line) {
    if (line.size() < 31 || line[3] != ' ' || !isCode(line.substr(0, 3))) {
        return std::nullopt;
    }
    ListedSite listed;
    listed.site.code = line.substr(0, 3);
    listed.title = trim(line.substr(30));
    const auto longitude = parseNumber(columns(line, 5, 13));
    const auto rhoCos = parseNumber(columns(line, 14, 21));
    const auto rhoSin = parseNumber(columns(line, 22, 30));
    if (longitude && rhoCos && rhoSin) {
        listed.site.longitude = Angle::degrees(std::remainder(*longitude, 360.0));
        listed.site.parallaxConstants = {*rhoCos, *rhoSin};
        listed.site.latitude = Angle::radians(std::atan2(*rhoSin, *rhoCos)); // geocentric
        listed.hasPlace = true;
    }
    return listed;
}

} // namespace

Result<int> SiteCodes::read(const std::filesystem::path& path) {
    std::ifstream stream(path);
    std::string line;
    int count = 0;
    while (std::getline(stream, line)) {
        if (auto listed = parseLine(line)) {
            sites_.insert_or_assign(listed->site.code, std::move(*listed));
            ++count;
        }
    }
    if (count == 0) {
        return fail(ErrorId::OrbitNotReadable,
                    "Holds no line of a list of observatory codes; give the public list as text.",
                    path.string());
    }
    return count;
}

void SiteCodes::add(const frame::Site& site, const std::string& title) {
    sites_.insert_or_assign(site.code, ListedSite{site, true, title});
}

Result<frame::Site> SiteCodes::find(const std::string& code) const {
    const auto found = sites_.find(code);
    if (found == sites_.end()) {
        return fail(ErrorId::OrbitUnknownSite,
                    "No list of observatory codes has this code; give the list that does with "
                    "--sites, or the site's place.",
                    code);
    }
    if (!found->second.hasPlace) {
        return fail(ErrorId::OrbitUnknownSite,
                    "This code is not a place on the ground: its place must come with each "
                    "observation.",
                    code);
    }
    return found->second.site;
}

std::string toListLine(const ListedSite& listed) {
    if (!listed.site.parallaxConstants) {
        return fmt::format("{:3}{:27}{}", listed.site.code, "", listed.title);
    }
    const double degrees = listed.site.longitude.degrees();
    const auto& [rhoCos, rhoSin] = *listed.site.parallaxConstants;
    return fmt::format("{:3} {:9.5f}{:8.6f}{:+9.6f}{}",
                       listed.site.code,
                       degrees < 0.0 ? degrees + 360.0 : degrees,
                       rhoCos,
                       rhoSin,
                       listed.title);
}

} // namespace pathmark::orbit
