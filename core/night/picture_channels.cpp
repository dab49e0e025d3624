#include "core/night/picture_channels.h"

#include "core/base/atomic_file.h"
#include "core/calibrate/colour_planes.h"
#include "core/catalog/band.h"
#include "core/frame/fits_file.h"
#include "core/frame/open_frame.h"
#include "core/identify/solved_frame.h"

#include <algorithm>
#include <array>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using catalog::Band;

struct BandMiddle {
    Band band;
    double nanometres;
};

/// Source   Bessell 2005, ARA&A 43, 293, table 1.
constexpr std::array kBandMiddles{BandMiddle{Band::B, 436.0},
                                  BandMiddle{Band::SloanG, 477.0},
                                  BandMiddle{Band::V, 545.0},
                                  BandMiddle{Band::SloanR, 623.0},
                                  BandMiddle{Band::R, 641.0},
                                  BandMiddle{Band::SloanI, 762.0},
                                  BandMiddle{Band::I, 798.0},
                                  BandMiddle{Band::SloanZ, 913.0}};

/// 0 for filters without a colour, and for those whose name says no band.
double middleOf(const std::string& filter) {
    const auto band = catalog::bandForFilter(filter);
    const auto* found = std::find_if(
        kBandMiddles.begin(), kBandMiddles.end(), [&](const auto& m) { return m.band == band; });
    return found == kBandMiddles.end() ? 0.0 : found->nanometres;
}

/// One colour of a frame, to be written as a light of its own.
struct ChannelPlane {
    std::string filter;
    frame::Image image;
    frame::Wcs wcs;
};

class ChannelReader {
  public:
    ChannelReader(const fs::path& wcsFolder,
                  const frame::ReadingRules& rules,
                  const fs::path& folder)
        : wcsFolder_(wcsFolder), folder_(folder), rules_(rules), planeRules_(rules) {
        for (auto& camera : planeRules_.equipment.cameras) {
            camera.bayerPattern.clear(); // a plane has none
        }
    }

    /// The lights of a file: itself, or its planes.
    Result<std::vector<StackLight>> read(const fs::path& file);

  private:
    Result<std::vector<StackLight>>
    readPlanes(const fs::path& file, std::vector<ChannelPlane> planes, const frame::Header& header);

    const fs::path& wcsFolder_;
    const fs::path& folder_;
    const frame::ReadingRules& rules_;
    frame::ReadingRules planeRules_;
};

std::vector<ChannelPlane>
planesOfMosaic(const frame::Image& mosaic, const std::string& pattern, const frame::Wcs& wcs) {
    using calibrate::Colour;
    std::vector<ChannelPlane> planes;
    for (const auto& [colour, filter] : {std::pair{Colour::Red, "Red"},
                                         std::pair{Colour::Green, "Green"},
                                         std::pair{Colour::Blue, "Blue"}}) {
        planes.push_back({filter,
                          calibrate::takePlane(mosaic, colour, pattern),
                          calibrate::wcsOfPlane(wcs, calibrate::planeGeometry(colour, pattern))});
    }
    return planes;
}

Result<std::vector<StackLight>> ChannelReader::read(const fs::path& file) {
    auto loaded = frame::readFrame(file);
    if (!loaded) {
        return fail(loaded.error());
    }
    const auto info = frame::describeFrame(
        file, loaded->image.width(), loaded->image.height(), loaded->header, rules_);
    const bool isFull = loaded->header.text(frame::kColourKeyword).value_or("") == "full";
    if (info.bayerPattern.empty() && !isFull) {
        auto light = readStackLight(file, wcsFolder_, rules_);
        if (!light) {
            return fail(light.error());
        }
        return std::vector<StackLight>{std::move(*light)};
    }
    const auto wcs = identify::solutionOf(file, loaded->header, wcsFolder_);
    if (!wcs) {
        return fail(wcs.error());
    }
    if (!isFull) {
        return readPlanes(
            file, planesOfMosaic(loaded->image, info.bayerPattern, *wcs), loaded->header);
    }
    auto reader = frame::FitsReader::open(file);
    if (!reader) {
        return fail(reader.error());
    }
    auto red = reader->extension("RED");
    auto blue = reader->extension("BLUE");
    if (!red || !blue) {
        return fail(red ? blue.error() : red.error());
    }
    std::vector<ChannelPlane> planes;
    planes.push_back({"Red", std::move(*red), *wcs});
    planes.push_back({"Green", std::move(loaded->image), *wcs});
    planes.push_back({"Blue", std::move(*blue), *wcs});
    return readPlanes(file, std::move(planes), loaded->header);
}

Result<std::vector<StackLight>> ChannelReader::readPlanes(const fs::path& file,
                                                          std::vector<ChannelPlane> planes,
                                                          const frame::Header& header) {
    std::vector<StackLight> lights;
    for (ChannelPlane& plane : planes) {
        frame::Header own = header;
        for (const char* word :
             {"BAYERPAT", "COLORTYP", "CFA-PAT", frame::kColourKeyword, "PMZEROPT"}) {
            own.remove(word);
        }
        own.set("FILTER", plane.filter);
        frame::writeWcs(plane.wcs, own);
        // Under its own name, by which marks find it.
        const fs::path path = folder_ / plane.filter / file.filename().replace_extension(".fits");
        if (auto made = makeFolder(path.parent_path()); !made) {
            return fail(made.error());
        }
        if (auto written = frame::writeFits(path, plane.image, own); !written) {
            return fail(written.error());
        }
        auto light = readStackLight(path, {}, planeRules_);
        if (!light) {
            Error error = light.error();
            error.subject = file.string();
            return fail(std::move(error));
        }
        light->zeroPoint.reset(); // of another plane, or of the sum
        lights.push_back(std::move(*light));
    }
    return lights;
}

} // namespace

std::vector<StackLight> allLights(const PictureChannels& channels) {
    std::vector<StackLight> lights;
    for (const auto& channel : channels.channels) {
        lights.insert(lights.end(), channel.lights.begin(), channel.lights.end());
    }
    std::stable_sort(lights.begin(), lights.end(), [](const auto& a, const auto& b) {
        return a.middle < b.middle;
    });
    return lights;
}

PictureChannels readChannels(std::span<const fs::path> files,
                             const fs::path& wcsFolder,
                             const frame::ReadingRules& rules,
                             const fs::path& folder,
                             const Job& job) {
    PictureChannels result;
    ChannelReader reader(wcsFolder, rules, folder);
    int done = 0;
    for (const fs::path& file : files) {
        if (job.stop.stop_requested()) {
            break;
        }
        job.progress("Reading frames", done++, static_cast<int>(files.size()));
        auto lights = reader.read(file);
        if (!lights) {
            Error error = lights.error();
            error.subject = error.subject.empty() ? file.string() : error.subject;
            result.failures.push_back(std::move(error));
            continue;
        }
        result.arePlanes = result.arePlanes || lights->size() == 3;
        for (StackLight& light : *lights) {
            const std::string filter = light.info.filter;
            auto channel = std::find_if(result.channels.begin(),
                                        result.channels.end(),
                                        [&](const auto& c) { return c.name == filter; });
            if (channel == result.channels.end()) {
                result.channels.push_back({filter, middleOf(filter), {}});
                channel = std::prev(result.channels.end());
            }
            channel->lights.push_back(std::move(light));
        }
    }
    for (PictureChannel& channel : result.channels) {
        std::stable_sort(channel.lights.begin(),
                         channel.lights.end(),
                         [](const auto& a, const auto& b) { return a.middle < b.middle; });
    }
    std::stable_sort(result.channels.begin(),
                     result.channels.end(),
                     [](const auto& a, const auto& b) { return a.nanometres < b.nanometres; });
    return result;
}

} // namespace pathmark::night
