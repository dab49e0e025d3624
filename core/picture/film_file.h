#pragma once

#include "core/base/result.h"
#include "core/picture/raster.h"

#include <filesystem>
#include <functional>
#include <memory>

namespace pathmark::picture {

/// Whether a name's ending is that of a film that can be written: .mp4 (H.264), .webm (VP9), .gif.
bool isFilmName(const std::filesystem::path& path);

/// A film being written, picture by picture.
class FilmWriter {
  public:
    ~FilmWriter();
    FilmWriter(FilmWriter&&) noexcept;
    FilmWriter& operator=(FilmWriter&&) noexcept;

    /// All pictures are of one size, even in both directions.
    Result<bool> add(const Raster& picture);

  private:
    friend Result<bool> writeFilm(const std::filesystem::path& path,
                                  double framesPerSecond,
                                  const std::function<Result<bool>(FilmWriter&)>& fill);

    struct State;
    explicit FilmWriter(std::unique_ptr<State> state);

    std::unique_ptr<State> state_;
};

/// Writes a film in the format of its name, whole or not at all; `fill` adds its pictures.
///
/// Model    H.264 and VP9 at a quality where noise still shows (constant rate factor 18 and 24), 4:2:0; GIF with 256 colours: greys, or a
///          cube of 6 x 7 x 6.
/// Errors   film.no_encoder  the format cannot be written on this machine; base.cannot_write, base.disk_full, and those of `fill`
Result<bool> writeFilm(const std::filesystem::path& path,
                       double framesPerSecond,
                       const std::function<Result<bool>(FilmWriter&)>& fill);

} // namespace pathmark::picture
