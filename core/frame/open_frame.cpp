#include "core/frame/open_frame.h"

#include "core/base/text.h"
#include "core/frame/image_path.h"
#include "core/frame/raw_file.h"
#include "core/frame/tiff_file.h"

#include <algorithm>
#include <array>
#include <fstream>
#include <string>
#include <string_view>

namespace pathmark::frame {
namespace fs = std::filesystem;

namespace {

constexpr std::array<std::string_view, 3> kFitsEndings{".fits", ".fit", ".fts"};
constexpr std::array<std::string_view, 13> kOtherEndings{".tif",
                                                         ".tiff",
                                                         ".dng",
                                                         ".cr2",
                                                         ".cr3",
                                                         ".nef",
                                                         ".arw",
                                                         ".raf",
                                                         ".orf",
                                                         ".rw2",
                                                         ".pef",
                                                         ".srw",
                                                         ".raw"};

bool endsWithAny(const std::string& name, std::span<const std::string_view> endings) {
    return std::any_of(
        endings.begin(), endings.end(), [&](std::string_view e) { return name.ends_with(e); });
}

/// A name without its endings for packed files.
std::string unpackedName(const fs::path& path) {
    std::string name = toLower(path.filename().string());
    for (const std::string_view packed : {".gz", ".fz"}) {
        if (name.ends_with(packed)) {
            name.erase(name.size() - packed.size());
        }
    }
    return name;
}

std::string firstBytes(const fs::path& path) {
    std::ifstream stream(path, std::ios::binary);
    std::string bytes(8, '\0');
    stream.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
    bytes.resize(static_cast<std::size_t>(std::max<std::streamsize>(stream.gcount(), 0)));
    return bytes;
}

Result<std::unique_ptr<FrameSource>> openFits(const fs::path& path) {
    auto reader = FitsReader::open(path);
    if (!reader) {
        return fail(reader.error());
    }
    return std::unique_ptr<FrameSource>(std::make_unique<FitsReader>(std::move(*reader)));
}

} // namespace

bool looksLikeFits(const fs::path& path) {
    return endsWithAny(unpackedName(path), kFitsEndings);
}

bool looksLikeFrame(const fs::path& path) {
    const std::string name = unpackedName(path);
    return !name.starts_with('.') &&
           (endsWithAny(name, kFitsEndings) ||
            endsWithAny(toLower(path.filename().string()), kOtherEndings));
}

Result<std::unique_ptr<FrameSource>> openFrame(const fs::path& path) {
    if (ImagePath::of(path).unit >= 0) {
        return openFits(path);
    }
    const std::string name = toLower(path.filename().string());
    const std::string magic = firstBytes(path);
    const bool tiffLike = magic.starts_with(std::string_view("II*\0", 4)) ||
                          magic.starts_with(std::string_view("MM\0*", 4));
    // Raw files of many makers are TIFF inside; their endings tell them apart.
    if (tiffLike && (name.ends_with(".tif") || name.ends_with(".tiff"))) {
        return openTiff(path);
    }
    if (endsWithAny(name, kOtherEndings) && !magic.starts_with("SIMPLE")) {
        return openRaw(path);
    }
    return openFits(path);
}

Result<LoadedFrame> readFrame(const fs::path& path) {
    auto source = openFrame(path);
    if (!source) {
        return fail(source.error());
    }
    auto image = (*source)->image();
    if (!image) {
        return fail(image.error());
    }
    return LoadedFrame{std::move(*image), (*source)->header()};
}

} // namespace pathmark::frame
