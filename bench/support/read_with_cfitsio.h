#pragma once

#include "core/frame/image.h"

#include <fitsio.h>

#include <filesystem>
#include <stdexcept>

namespace pathmark::bench {

/// The limit of whatever reads frames: every pixel once as float through cfitsio, into a picture of the frame's size.
inline void readWithCfitsio(const std::filesystem::path& path, frame::Image& image) {
    fitsfile* file = nullptr;
    int status = 0;
    int any = 0;
    fits_open_diskfile(&file, path.c_str(), READONLY, &status);
    fits_read_img(file,
                  TFLOAT,
                  1,
                  static_cast<LONGLONG>(image.pixels().size()),
                  nullptr,
                  image.pixels().data(),
                  &any,
                  &status);
    fits_close_file(file, &status);
    if (status != 0) {
        throw std::runtime_error("cannot read " + path.string());
    }
}

} // namespace pathmark::bench
