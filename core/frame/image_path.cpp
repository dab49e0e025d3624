#include "core/frame/image_path.h"

#include <charconv>
#include <string>

namespace pathmark::frame {
namespace fs = std::filesystem;

ImagePath ImagePath::of(const fs::path& path) {
    const std::string& text = path.native();
    std::error_code status;
    const std::size_t bracket = text.rfind('[');
    if (!text.ends_with(']') || bracket == std::string::npos || fs::exists(path, status)) {
        return {path};
    }
    int unit = -1;
    const char* const end = text.data() + text.size() - 1;
    const auto [stop, error] = std::from_chars(text.data() + bracket + 1, end, unit);
    if (error != std::errc() || stop != end || unit < 0) {
        return {path};
    }
    return {text.substr(0, bracket), unit};
}

fs::path ImagePath::path() const {
    return unit < 0 ? file : fs::path(file.native() + "[" + std::to_string(unit) + "]");
}

} // namespace pathmark::frame
