#include "core/base/atomic_file.h"
#include "core/frame/fits_cards.h"
#include "core/frame/fits_file.h"

#include <fitsio.h>

#include <array>
#include <cerrno>
#include <functional>

namespace pathmark::frame {
namespace {

namespace fs = std::filesystem;

/// Runs `fill` on a new file that becomes visible only when whole.
Result<bool> writeNew(const fs::path& path, const std::function<void(fitsfile*, int*)>& fill) {
    return writeWhole(path, [&](const fs::path& temporary) -> Result<bool> {
        fitsfile* file = nullptr;
        int status = 0;
        errno = 0;
        // diskfile: brackets in a name are part of it, not a filter expression.
        fits_create_diskfile(&file, temporary.c_str(), &status);
        if (status == 0) {
            fill(file, &status);
        }
        const int reason = errno;
        int closing = status;
        if (file != nullptr) {
            fits_close_file(file, &closing);
        }
        fits_clear_errmsg();
        if (closing != 0) {
            return fail(writeError(reason != 0 ? reason : errno != 0 ? errno : EIO, temporary));
        }
        return true;
    });
}

} // namespace

Result<bool> writeFits(const fs::path& path,
                       const Image& image,
                       const Header& header,
                       PixelType type,
                       std::span<const NamedImage> extensions) {
    return writeNew(path, [&](fitsfile* file, int* status) {
        const auto write = [&](const Image& one, PixelType as, const std::string& name) {
            std::array<long, 2> sizes{one.width(), one.height()};
            fits_create_img(
                file, as == PixelType::Float32 ? FLOAT_IMG : USHORT_IMG, 2, sizes.data(), status);
            if (name.empty()) {
                writeCards(file, header, status);
            } else {
                fits_update_key_str(file, "EXTNAME", name.c_str(), nullptr, status);
            }
            fits_write_img(file,
                           TFLOAT,
                           1,
                           static_cast<LONGLONG>(one.pixels().size()),
                           const_cast<float*>(one.pixels().data()),
                           status);
        };
        write(image, type, "");
        for (const NamedImage& extension : extensions) {
            write(*extension.image, PixelType::Float32, extension.name);
        }
    });
}

Result<bool> writeFitsHeader(const fs::path& path, const Header& header) {
    return writeNew(path, [&](fitsfile* file, int* status) {
        fits_create_img(file, BYTE_IMG, 0, nullptr, status);
        writeCards(file, header, status);
    });
}

} // namespace pathmark::frame
