#pragma once

#include "core/frame/fits_header.h"

#include <fitsio.h>

#include <string>

namespace pathmark::frame {

/// Keywords that describe the array itself and are written by the library.
bool isStructuralKeyword(const std::string& keyword);

/// All cards of the unit the library stands on.
Header readCards(fitsfile* file);

/// Writes a header's cards but for the structural ones.
void writeCards(fitsfile* file, const Header& header, int* status);

} // namespace pathmark::frame
