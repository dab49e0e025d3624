#pragma once

#include "core/base/result.h"
#include "core/report/page/page.h"

#include <string>

namespace pathmark::report {

/// A page as one file of HTML that needs nothing beside it: pictures and plots are within it, and no script.
std::string toHtml(const Page& page);

/// The same as the bytes of a PDF of A4 pages.
///
/// Errors   base.internal  the page cannot be drawn; without any font the letters are boxes, and that is said too
Result<std::string> toPdf(const Page& page);

/// A grey picture as the bytes of a PNG file.
std::string toPng(const PagePicture& picture);

} // namespace pathmark::report
