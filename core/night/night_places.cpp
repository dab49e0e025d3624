#include "core/night/night_places.h"

#include "core/base/utf8.h"
#include "core/night/record_json.h"

#include <algorithm>
#include <array>
#include <iterator>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

constexpr const char* kFolderMark = "@folder";
constexpr const char* kOutMark = "@out";
constexpr std::string_view kRawMark = "%raw:";

/// `path` below `folder`; empty where it is not below it.
fs::path below(const fs::path& path, const fs::path& folder) {
    if (folder.empty()) {
        return {};
    }
    const fs::path relative = path.lexically_relative(folder);
    return relative.empty() || *relative.begin() == ".." ? fs::path() : relative;
}

} // namespace

std::string pathText(const fs::path& path) {
    const std::string& bytes = path.native();
    if (firstNotUtf8(bytes) == std::string::npos && !bytes.starts_with(kRawMark)) {
        return bytes;
    }
    constexpr std::string_view digits = "0123456789ABCDEF";
    std::string text(kRawMark);
    for (const char c : bytes) {
        const auto byte = static_cast<unsigned char>(c);
        if (byte < 0x80U && c != '%') {
            text += c;
        } else {
            text += '%';
            text += digits[byte >> 4U];
            text += digits[byte & 15U];
        }
    }
    return text;
}

fs::path pathFrom(const std::string& text) {
    if (!text.starts_with(kRawMark)) {
        return text;
    }
    std::string bytes;
    for (std::size_t i = kRawMark.size(); i < text.size(); ++i) {
        if (text[i] == '%' && i + 2 < text.size()) {
            bytes += static_cast<char>(std::stoi(text.substr(i + 1, 2), nullptr, 16));
            i += 2;
        } else {
            bytes += text[i];
        }
    }
    return bytes;
}

NightPlaces
NightPlaces::of(const fs::path& folder, const fs::path& out, std::span<const fs::path> only) {
    NightPlaces places{wholePath(folder), wholePath(out)};
    std::transform(only.begin(), only.end(), std::back_inserter(places.only), wholePath);
    return places;
}

fs::path NightPlaces::stored(const fs::path& path) const {
    if (path.empty()) {
        return path;
    }
    // Results may lie in the folder of the frames: the inner one first.
    if (const fs::path inner = below(path, out); !inner.empty()) {
        return kOutMark / inner;
    }
    if (const fs::path inner = below(path, folder); !inner.empty()) {
        return kFolderMark / inner;
    }
    return path;
}

fs::path NightPlaces::resolved(const fs::path& stored) const {
    for (const auto& [mark, root] : {std::pair{kFolderMark, &folder}, std::pair{kOutMark, &out}}) {
        if (!stored.empty() && *stored.begin() == mark) {
            return (*root / stored.lexically_relative(mark)).lexically_normal();
        }
    }
    return stored;
}

fs::path wholePath(const fs::path& path) {
    const fs::path whole = fs::absolute(path).lexically_normal();
    // "a/b/" is "a/b".
    return whole.has_filename() || whole == whole.root_path() ? whole : whole.parent_path();
}

fs::path commonFolder(std::span<const fs::path> places) {
    fs::path common;
    for (const fs::path& place : places) {
        const fs::path whole = wholePath(place);
        std::error_code status;
        const fs::path folder = fs::is_regular_file(whole, status) ? whole.parent_path() : whole;
        if (common.empty()) {
            common = folder;
            continue;
        }
        const auto [end, ignored] =
            std::mismatch(common.begin(), common.end(), folder.begin(), folder.end());
        fs::path shared;
        for (auto part = common.begin(); part != end; ++part) {
            shared /= *part;
        }
        common = shared;
    }
    return common;
}

std::string rememberedFolder(const fs::path& folder, const fs::path& nightFolder) {
    return nlohmann::json{{"whole", pathText(folder)},
                          {"beside", pathText(folder.lexically_relative(nightFolder))}}
        .dump();
}

fs::path
foundFolder(const std::string& remembered, const fs::path& nightFolder, const fs::path& witness) {
    const auto entry = nlohmann::json::parse(remembered, nullptr, false);
    if (!entry.is_object()) {
        return remembered;
    }
    const fs::path whole = pathFrom(entry.value("whole", ""));
    const fs::path relative = pathFrom(entry.value("beside", ""));
    fs::path beside = relative.empty() ? whole : wholePath(nightFolder / relative);
    std::error_code status;
    if (fs::exists(witness.empty() ? beside : beside / witness, status)) {
        return beside;
    }
    return fs::exists(whole, status) ? whole : beside;
}

} // namespace pathmark::night
