#include "core/night/linear_picture.h"

#include "core/base/atomic_file.h"
#include "core/base/csv_field.h"
#include "core/base/text.h"
#include "core/frame/fits_file.h"
#include "core/frame/frame_info.h"
#include "core/night/joined_picture.h"

#include <fmt/format.h>

#include <array>
#include <fstream>

namespace pathmark::night {
namespace {

/// Numbers that a header keeps of each plane, red, green, blue.
struct PlaneWords {
    const char* word;
    std::array<double, 3> picture::LayeredPicture::*values;
    const char* says;
};

constexpr std::array kPlaneWords{
    PlaneWords{"PMAVER", &picture::LayeredPicture::average, "the average star is white"},
    PlaneWords{"PMREC", &picture::LayeredPicture::recorded, "as it was recorded"}};

constexpr std::array kPlaneNames{"RED", "GREEN", "BLUE"};

void addImages(const char* prefix,
               const picture::ColourPicture& picture,
               std::vector<frame::NamedImage>& images) {
    for (std::size_t c = 0; c < 3; ++c) {
        const bool isKept = !picture.planes[c].empty() && (!picture.isGrey || c == 1);
        if (isKept) {
            images.push_back({std::string(prefix) + kPlaneNames[c], &picture.planes[c]});
        }
    }
}

/// Three planes, or green alone for all.
picture::ColourPicture readImages(frame::FitsReader& reader, const char* prefix, bool isGrey) {
    picture::ColourPicture picture;
    picture.isGrey = isGrey;
    for (std::size_t c = 0; c < 3; ++c) {
        auto image = reader.extension(std::string(prefix) + kPlaneNames[isGrey ? 1 : c],
                                      frame::FitsReader::ExtensionSize::Own);
        if (!image) {
            return {};
        }
        picture.planes[c] = std::move(*image);
    }
    return picture;
}

std::string worded(const char* word, std::size_t plane) {
    return word + std::to_string(plane + 1);
}

void setNumbers(const picture::LayeredPicture& layers, frame::Header& header) {
    for (std::size_t c = 0; c < 3; ++c) {
        header.set(worded("PMNOIS", c), layers.noise.noise[c], "of a pixel of sky in this plane");
        header.set(
            worded("PMLVAR", c), layers.noise.lightVariance[c], "variance of light over light");
        for (const PlaneWords& words : kPlaneWords) {
            header.set(worded(words.word, c), (layers.*words.values)[c], words.says);
        }
    }
}

void readNumbers(const frame::Header& header, picture::LayeredPicture& layers) {
    for (std::size_t c = 0; c < 3; ++c) {
        layers.noise.noise[c] = header.number(worded("PMNOIS", c)).value_or(0.0);
        layers.noise.lightVariance[c] = header.number(worded("PMLVAR", c)).value_or(0.0);
        for (const PlaneWords& words : kPlaneWords) {
            (layers.*words.values)[c] = header.number(worded(words.word, c)).value_or(1.0);
        }
    }
}

/// Arcsec from where the body stands, east in the first row and north in the second.
frame::Image pathImage(const LinearPicture& picture) {
    frame::Image image(static_cast<int>(picture.path.size()), 2);
    for (std::size_t i = 0; i < picture.path.size(); ++i) {
        const PlanePos at = toTangentPlane(picture.body, picture.path[i]);
        image.row(0)[i] = static_cast<float>(at.xi / kRadiansPerArcsec);
        image.row(1)[i] = static_cast<float>(at.eta / kRadiansPerArcsec);
    }
    return image;
}

void readPath(frame::FitsReader& reader, LinearPicture& picture) {
    const auto ra = reader.header().number("PMBODYRA");
    const auto dec = reader.header().number("PMBODYDE");
    const auto image = reader.extension("PATH", frame::FitsReader::ExtensionSize::Own);
    if (!ra || !dec || !image || image->height() != 2) {
        return;
    }
    picture.body = skyDegrees(*ra, *dec);
    for (int i = 0; i < image->width(); ++i) {
        picture.path.push_back(offsetBy(picture.body,
                                        static_cast<double>(image->at(i, 0)),
                                        static_cast<double>(image->at(i, 1))));
    }
}

} // namespace

LinearPicture linearOf(JoinedPicture&& joined, const SkyPos& body, std::vector<SkyPos> path) {
    LinearPicture picture;
    picture.layers.average = joined.scales.towards(picture::White::Average);
    picture.layers.recorded = joined.scales.towards(picture::White::AsRecorded);
    picture.layers.noise = {joined.noise, joined.lightVariance};
    picture.layers.whole = std::move(joined.linear);
    picture.layers.stars = std::move(joined.stars);
    picture.wcs = joined.grid.wcs;
    picture.sky = std::move(joined.sky);
    picture.extent = std::move(joined.extent);
    picture.path = std::move(path);
    picture.body = body;
    return picture;
}

Result<bool> writeLinear(const std::filesystem::path& path,
                         const LinearPicture& picture,
                         const picture::PictureNote& note,
                         const std::string& key) {
    frame::Header header;
    header.set("OBJECT", note.object, "what it shows");
    header.set("DATE-AVG", note.time, "when it stands there");
    header.set("PMPLANES", note.filters, "which light became which plane");
    header.set("BUNIT", std::string("electron"), "of the reference frame");
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    header.set(frame::kResultKeyword, key);
    header.set("PMBODYRA", picture.body.longitude.degrees(), "where it stands, degrees");
    header.set("PMBODYDE", picture.body.latitude.degrees(), "");
    setNumbers(picture.layers, header);
    frame::writeWcs(picture.wcs, header);
    std::vector<frame::NamedImage> images;
    addImages("", picture.layers.whole, images);
    std::erase_if(images, [](const auto& image) { return image.name == "GREEN"; }); // the first
    addImages("STARS_", picture.layers.stars, images);
    addImages("SKY_", picture.sky, images);
    if (!picture.extent.empty()) {
        images.push_back({"EXTENT", &picture.extent});
    }
    const frame::Image way = pathImage(picture);
    if (!picture.path.empty()) {
        images.push_back({"PATH", &way});
    }
    return frame::writeFits(
        path, picture.layers.whole.planes[1], header, frame::PixelType::Float32, images);
}

Result<LinearPicture> readLinear(const std::filesystem::path& path) {
    auto reader = frame::FitsReader::open(path);
    if (!reader) {
        return fail(reader.error());
    }
    auto green = reader->image();
    const auto wcs = frame::readWcs(reader->header());
    if (!green || !wcs) {
        return fail(!green ? green.error() : wcs.error());
    }
    LinearPicture picture;
    picture.wcs = *wcs;
    auto red = reader->extension("RED");
    auto blue = reader->extension("BLUE");
    picture::ColourPicture& whole = picture.layers.whole;
    whole.isGrey = !red || !blue;
    if (whole.isGrey) {
        whole.planes = {*green, *green, std::move(*green)};
    } else {
        whole.planes = {std::move(*red), std::move(*green), std::move(*blue)};
    }
    picture.layers.stars = readImages(*reader, "STARS_", whole.isGrey);
    picture.sky = readImages(*reader, "SKY_", whole.isGrey);
    if (auto extent = reader->extension("EXTENT", frame::FitsReader::ExtensionSize::Own)) {
        picture.extent = std::move(*extent);
    }
    readNumbers(reader->header(), picture.layers);
    readPath(*reader, picture);
    return picture;
}

picture::MarkedSky markedSky(const LinearPicture& picture, const picture::PictureNote& note) {
    const auto body = picture.wcs.toPixel(picture.body);
    picture::MarkedSky sky{picture.wcs, note.sentence(), picture.path, {}, 0.0};
    if (body) {
        sky.body = *body;
    }
    return sky;
}

Result<bool> writeSeen(const std::filesystem::path& path,
                       const LinearPicture& picture,
                       const picture::Look& look,
                       const picture::PictureNote& note) {
    const picture::ColourPicture& whole = picture.layers.whole;
    const picture::Ground ground = picture::groundOf(whole);
    auto seen = picture::shown(picture.layers,
                               look,
                               picture::stretchOf(look, picture::stretchFor(whole, {}), ground),
                               ground);
    const std::string ending = path.extension().string();
    if (ending != ".fits" && ending != ".fit") { // its solution is that of the pixels
        picture::annotate(seen, look.marks, markedSky(picture, note));
    }
    return picture::writePicture(path, whole, seen, note);
}

std::filesystem::path coloursBeside(const std::filesystem::path& picture) {
    std::filesystem::path path = picture;
    path.replace_filename(picture.stem().string() + "_colours.csv");
    return path;
}

Result<bool> writeColours(const std::filesystem::path& path,
                          std::span<const picture::ColourPoint> points) {
    std::string text = "bp_rp,blue_less_red,fitted\n";
    for (const picture::ColourPoint& point : points) {
        text +=
            fmt::format("{:.4f},{:.4f},{:.4f}\n", point.bpMinusRp, point.blueLessRed, point.fitted);
    }
    return writeWholeText(path, text);
}

std::vector<picture::ColourPoint> readColours(const std::filesystem::path& path) {
    std::ifstream stream(path);
    std::vector<picture::ColourPoint> points;
    std::string line;
    while (std::getline(stream, line)) {
        const auto fields = csvFields(line);
        if (fields.size() != 3) {
            continue;
        }
        const auto bpMinusRp = parseNumber(fields[0]);
        const auto blueLessRed = parseNumber(fields[1]);
        const auto fitted = parseNumber(fields[2]);
        if (bpMinusRp && blueLessRed && fitted) { // not so the head
            points.push_back({*bpMinusRp, *blueLessRed, *fitted});
        }
    }
    return points;
}

} // namespace pathmark::night
