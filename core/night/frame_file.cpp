#include "core/night/frame_file.h"

#include "core/base/hash.h"
#include "core/frame/image_path.h"

#include <sys/stat.h>

namespace pathmark::night {

FileStamp::FileStamp(const std::filesystem::path& frame) {
    const std::filesystem::path path = frame::ImagePath::of(frame).file;

    struct stat status {};

    if (::stat(path.c_str(), &status) == 0) {
        size = status.st_size;
        changed = static_cast<std::int64_t>(status.st_mtim.tv_sec) * 1'000'000'000 +
                  status.st_mtim.tv_nsec;
    }
}

Result<frame::FrameId> frameIdOf(const std::filesystem::path& frame) {
    const auto [file, unit] = frame::ImagePath::of(frame);
    auto digest = contentHash(file);
    if (!digest) {
        return fail(digest.error());
    }
    return frame::FrameId(unit < 0 ? *digest : Digest().add(*digest).add(unit).hex());
}

} // namespace pathmark::night
