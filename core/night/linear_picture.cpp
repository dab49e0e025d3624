#include "core/night/linear_picture.h"

#include "core/frame/fits_file.h"
#include "core/frame/frame_info.h"

#include <array>

namespace pathmark::night {

Result<bool> writeLinear(const std::filesystem::path& path,
                         const LinearPicture& picture,
                         const std::string& object,
                         const Utc& time,
                         const std::string& key) {
    frame::Header header;
    header.set("OBJECT", object, "what it shows");
    header.set("DATE-AVG", toIso(time), "when it stands there");
    header.set("BUNIT", std::string("electron"), "of the reference frame");
    header.set("CREATOR", std::string("Path Mark " PATHMARK_VERSION));
    header.set(frame::kResultKeyword, key);
    frame::writeWcs(picture.wcs, header);
    const auto& planes = picture.planes.planes;
    const std::array<frame::NamedImage, 2> further{frame::NamedImage{"RED", &planes[0]},
                                                   frame::NamedImage{"BLUE", &planes[2]}};
    const std::span<const frame::NamedImage> all(further);
    return frame::writeFits(path,
                            planes[1],
                            header,
                            frame::PixelType::Float32,
                            picture.planes.isGrey ? all.first(0) : all);
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
    LinearPicture picture{{}, *wcs};
    auto red = reader->extension("RED");
    auto blue = reader->extension("BLUE");
    picture.planes.isGrey = !red || !blue;
    if (picture.planes.isGrey) {
        picture.planes.planes = {*green, *green, std::move(*green)};
    } else {
        picture.planes.planes = {std::move(*red), std::move(*green), std::move(*blue)};
    }
    return picture;
}

} // namespace pathmark::night
