#include "core/base/atomic_file.h"
#include "core/base/fits_library.h"
#include "core/frame/fits_cards.h"
#include "core/frame/fits_file.h"
#include "core/frame/fits_pixels.h"

#include <fcntl.h>
#include <fitsio.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <functional>
#include <vector>

namespace pathmark::frame {
namespace {

namespace fs = std::filesystem;

/// Float pixels that are written once the library has made their header and place.
struct PendingPixels {
    LONGLONG offset = 0;
    std::span<const float> pixels;
};

/// Writes pixels to their place in large pieces; returns 0 or an errno value.
int writePixels(const fs::path& path, const std::vector<PendingPixels>& pending) {
    const int descriptor = ::open(path.c_str(), O_WRONLY | O_CLOEXEC);
    if (descriptor < 0) {
        return errno;
    }
    constexpr std::size_t piece = 1U << 18U;
    std::vector<std::byte> bytes(4 * piece);
    int problem = 0;
    for (const PendingPixels& one : pending) {
        off_t offset = static_cast<off_t>(one.offset);
        for (std::size_t done = 0; done < one.pixels.size() && problem == 0; done += piece) {
            const auto part = one.pixels.subspan(done, std::min(piece, one.pixels.size() - done));
            const auto raw = std::span(bytes).first(4 * part.size());
            toFitsFloats(part, raw);
            for (std::size_t sent = 0; sent < raw.size() && problem == 0;) {
                const ssize_t wrote =
                    ::pwrite(descriptor, raw.data() + sent, raw.size() - sent, offset);
                if (wrote > 0) {
                    sent += static_cast<std::size_t>(wrote);
                    offset += wrote;
                } else if (wrote == 0 || errno != EINTR) {
                    problem = wrote == 0 ? EIO : errno;
                }
            }
        }
    }
    if (::close(descriptor) != 0 && problem == 0) {
        problem = errno;
    }
    return problem;
}

/// Runs `fill` on a new file that becomes visible only when whole.
Result<bool> writeNew(const fs::path& path,
                      const std::function<void(fitsfile*, int*)>& fill,
                      const std::vector<PendingPixels>& pending) {
    return writeWhole(path, [&](const fs::path& temporary) -> Result<bool> {
        fitsfile* file = nullptr;
        int status = 0;
        readyFitsLibrary();
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
        if (const int problem = writePixels(temporary, pending); problem != 0) {
            return fail(writeError(problem, temporary));
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
    std::vector<PendingPixels> pending;
    const auto writeHeaders = [&](fitsfile* file, int* status) {
        const auto create = [&](const Image& one, PixelType as, const std::string& name) {
            std::array<long, 2> sizes{one.width(), one.height()};
            fits_create_img(
                file, as == PixelType::Float32 ? FLOAT_IMG : USHORT_IMG, 2, sizes.data(), status);
            if (name.empty()) {
                writeCards(file, header, status);
            } else {
                fits_update_key_str(file, "EXTNAME", name.c_str(), nullptr, status);
            }
            if (as == PixelType::UInt16) {
                fits_write_img(file,
                               TFLOAT,
                               1,
                               static_cast<LONGLONG>(one.pixels().size()),
                               const_cast<float*>(one.pixels().data()),
                               status);
                return;
            }
            LONGLONG start = 0;
            LONGLONG data = 0;
            LONGLONG end = 0;
            fits_set_hdustruc(file, status);
            fits_get_hduaddrll(file, &start, &data, &end, status);
            pending.push_back({data, one.pixels()});
        };
        create(image, type, "");
        for (const NamedImage& extension : extensions) {
            create(*extension.image, PixelType::Float32, extension.name);
        }
    };
    return writeNew(path, writeHeaders, pending);
}

Result<bool>
writeFitsCubes(const fs::path& path, std::span<const NamedCube> cubes, const Header& header) {
    std::vector<PendingPixels> pending;
    const auto writeHeaders = [&](fitsfile* file, int* status) {
        for (const NamedCube& cube : cubes) {
            const auto& planes = *cube.planes;
            std::array<long, 3> sizes{planes[0].width(), planes[0].height(), 3};
            fits_create_img(file, FLOAT_IMG, 3, sizes.data(), status);
            if (cube.name.empty()) {
                writeCards(file, header, status);
            } else {
                fits_update_key_str(file, "EXTNAME", cube.name.c_str(), nullptr, status);
            }
            LONGLONG start = 0;
            LONGLONG data = 0;
            LONGLONG end = 0;
            fits_set_hdustruc(file, status);
            fits_get_hduaddrll(file, &start, &data, &end, status);
            for (const Image& plane : planes) {
                pending.push_back({data, plane.pixels()});
                data += static_cast<LONGLONG>(4 * plane.pixels().size());
            }
        }
    };
    return writeNew(path, writeHeaders, pending);
}

Result<bool> writeFitsHeader(const fs::path& path, const Header& header) {
    return writeNew(path,
                    [&](fitsfile* file, int* status) {
                        fits_create_img(file, BYTE_IMG, 0, nullptr, status);
                        writeCards(file, header, status);
                    },
                    {});
}

} // namespace pathmark::frame
