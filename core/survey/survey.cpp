#include "core/survey/survey.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "core/catalog/http_client.h"
#include "core/catalog/remote_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::survey {
namespace {

namespace fs = std::filesystem;

constexpr int kFinestOrder = 20;

tl::unexpected<Error> bad(std::string why) {
    return fail(ErrorId::CatalogBadSurvey, std::move(why));
}

std::map<std::string, std::string> pairsOf(const std::string& text) {
    std::map<std::string, std::string> pairs;
    for (const std::string_view line : split(text, '\n')) {
        const auto equals = line.find('=');
        if (equals == std::string_view::npos || trim(line).starts_with('#')) {
            continue;
        }
        pairs[toLower(trim(line.substr(0, equals)))] = trim(line.substr(equals + 1));
    }
    return pairs;
}

/// Each survey has a folder of its own.
fs::path folderOf(const SurveyPlace& place) {
    return place.folder / Digest().add(place.url).hex().substr(0, 16);
}

bool isMissing(const Error& error) {
    return error.id == ErrorId::CatalogServiceRefused &&
           error.detail.find("HTTP 404") != std::string::npos;
}

} // namespace

double SurveyProperties::pixelArcsec() const {
    const double cells = std::ldexp(12.0, 2 * order) * tileWidth * tileWidth;
    return Angle::radians(std::sqrt(4.0 * std::numbers::pi / cells)).arcsec();
}

Result<SurveyProperties> readProperties(const std::string& text) {
    const auto pairs = pairsOf(text);
    const auto valueOf = [&](const char* key) {
        const auto found = pairs.find(key);
        return found == pairs.end() ? std::string() : found->second;
    };
    SurveyProperties properties;
    properties.title = valueOf("obs_title");
    const auto order = parseInteger(valueOf("hips_order"));
    if (!order || *order < 0 || *order > kFinestOrder) {
        return bad("This is no survey in the HiPS layout: its properties say no hips_order.");
    }
    properties.order = static_cast<int>(*order);
    const std::string width = valueOf("hips_tile_width");
    const auto side = width.empty() ? std::optional<long long>(512) : parseInteger(width);
    if (!side || *side < 16 || *side > 4096 || (*side & (*side - 1)) != 0) {
        return bad("The survey's hips_tile_width is no power of two.");
    }
    properties.tileWidth = static_cast<int>(*side);
    const std::string frame = toLower(valueOf("hips_frame"));
    if (!frame.empty() && frame != "equatorial" && frame != "galactic") {
        return bad("The survey is laid on " + frame +
                   " coordinates; equatorial and galactic ones are read.");
    }
    properties.isGalactic = frame == "galactic";
    const std::string formats = toLower(valueOf("hips_tile_format")); // the words look into it
    for (const std::string_view word : split(formats, ' ')) {
        const std::string format(trim(word));
        if (format == "fits") {
            properties.formats.push_back(TileFormat::Fits);
        } else if (format == "png") {
            properties.formats.push_back(TileFormat::Png);
        } else if (format == "jpeg" || format == "jpg") {
            properties.formats.push_back(TileFormat::Jpeg);
        }
    }
    if (properties.formats.empty()) {
        return bad("The survey has no tiles in FITS, PNG or JPEG.");
    }
    const auto begin = parseNumber(valueOf("t_min"));
    const auto end = parseNumber(valueOf("t_max"));
    if (begin || end) {
        properties.epochModifiedJulian =
            begin && end ? 0.5 * (*begin + *end) : begin.value_or(end.value_or(0.0));
    }
    return properties;
}

TileFormat Survey::format() const {
    const auto& formats = properties_.formats;
    for (const TileFormat format : {TileFormat::Fits, TileFormat::Png}) {
        if (std::find(formats.begin(), formats.end(), format) != formats.end()) {
            return format;
        }
    }
    return formats.front();
}

Result<Survey> Survey::open(const SurveyPlace& place, const Job& job) {
    SurveyPlace own = place;
    own.url = catalog::withoutSlash(place.url);
    catalog::RemoteFile file;
    file.url = own.url + "/properties";
    file.target = folderOf(own) / "properties";
    file.timeoutSeconds = place.timeoutSeconds;
    file.tries = place.tries;
    file.check = [](const fs::path& part) -> Result<bool> {
        const auto text = readWholeFile(part);
        const auto read = readProperties(text.value_or(std::string()));
        return read ? Result<bool>(true) : fail(read.error());
    };
    std::error_code ignored;
    const bool isHere = fs::exists(file.target, ignored);
    if (!isHere || !place.isOffline) {
        if (auto fetched = catalog::fetchFile(file, job); !fetched) {
            if (!isHere || fetched.error().id == ErrorId::BaseCancelled) {
                Error error = fetched.error();
                error.subject = own.url;
                return fail(std::move(error));
            }
            job.message("The survey does not answer; the tiles that are kept are used.");
        }
    }
    auto properties = readProperties(readWholeFile(file.target).value_or(std::string()));
    if (!properties) {
        return fail(properties.error());
    }
    return Survey(std::move(own), std::move(*properties));
}

Result<std::shared_ptr<const frame::Image>>
Survey::tile(int order, std::int64_t cell, const Job& job) const {
    const std::string name = fmt::format(
        "Norder{}/Dir{}/Npix{}.{}", order, cell / 10000 * 10000, cell, ending(format()));
    const fs::path target = folderOf(place_) / name;
    const fs::path none = target.string() + ".none"; // the survey was asked, and has none
    std::error_code ignored;
    if (!fs::exists(target, ignored)) {
        if (fs::exists(none, ignored) || place_.isOffline) {
            return std::shared_ptr<const frame::Image>();
        }
        catalog::RemoteFile file;
        file.url = place_.url + "/" + name;
        file.target = target;
        file.timeoutSeconds = place_.timeoutSeconds;
        file.tries = place_.tries;
        file.check = [this](const fs::path& part) -> Result<bool> {
            const auto image = readTile(part, format());
            if (!image) {
                return fail(image.error());
            }
            return image->width() == properties_.tileWidth &&
                           image->height() == properties_.tileWidth
                       ? Result<bool>(true)
                       : bad("A tile of the survey has another size than its properties say.");
        };
        if (auto fetched = catalog::fetchFile(file, job); !fetched) {
            if (!isMissing(fetched.error())) {
                return fail(fetched.error());
            }
            if (auto noted = writeWholeText(none, ""); !noted) {
                return fail(noted.error());
            }
            return std::shared_ptr<const frame::Image>();
        }
        fs::remove(target.string() + ".fetched", ignored); // a tile does not change
    }
    auto image = readTile(target, format());
    if (!image) {
        fs::remove(target, ignored); // damaged since: fetched anew the next time
        return fail(image.error());
    }
    return std::make_shared<const frame::Image>(std::move(*image));
}

} // namespace pathmark::survey
