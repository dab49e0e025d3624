#pragma once

#include "core/night/records.h"

#include <array>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::night {

/// The things that a night is made into.
enum class ProductKind {
    Master,
    Noise,
    Calibrated,
    Sources,
    Solution,
    ZeroPoint,
    SkyBrightness,
    Matches,
    Tracks,
    Stack,
    Sweep,
    Measurements,
    Picture,
    Report,
};

/// What is known of a kind of product: the registry that storing, reading and cleaning up go by.
struct ProductKindInfo {
    ProductKind kind;
    const char* name; ///< as it is stored
    const char*
        folder; ///< of its files, below the output folder; empty: it lives in the night file alone
    const char* words; ///< for people
};

/// Every kind; one is added here and named above.
inline constexpr std::array kProductKinds{
    ProductKindInfo{ProductKind::Master, "master", "masters", "masters"},
    ProductKindInfo{ProductKind::Noise, "noise", "", "noises of cameras"},
    ProductKindInfo{ProductKind::Calibrated, "calibrated", "calibrated", "calibrated frames"},
    ProductKindInfo{ProductKind::Sources, "sources", "", "sources"},
    ProductKindInfo{ProductKind::Solution, "solution", "", "solutions"},
    ProductKindInfo{ProductKind::ZeroPoint, "zero_point", "", "zero points"},
    ProductKindInfo{ProductKind::SkyBrightness, "sky_brightness", "", "brightnesses of the sky"},
    ProductKindInfo{ProductKind::Matches, "matches", "", "known bodies"},
    ProductKindInfo{ProductKind::Tracks, "tracks", "", "candidates"},
    ProductKindInfo{ProductKind::Stack, "stack", "stacks", "stacks"},
    ProductKindInfo{ProductKind::Sweep, "sweep", "", "sweeps"},
    ProductKindInfo{ProductKind::Measurements, "measurements", "", "measurements"},
    ProductKindInfo{ProductKind::Picture, "picture", "pictures", "pictures"},
    ProductKindInfo{ProductKind::Report, "report", "", "reports"},
};

const ProductKindInfo& infoOf(ProductKind kind);
const char* name(ProductKind kind);
std::optional<ProductKind> productKindNamed(std::string_view name);

/// Something made, known by the key of everything that it was made from.
struct Product {
    std::string key;
    ProductKind kind = ProductKind::Master;
    FrameId frame;              ///< where it belongs to one frame
    BodyId body;                ///< where it belongs to one body
    std::filesystem::path path; ///< empty where it lives in the night file alone
    std::string info;           ///< JSON of its record
    std::string packed;         ///< bytes beside the record
    std::string origin;         ///< JSON of what its key was made from, see ProductKey
};

/// The key of a product: the hash of the version of the step, of all the settings that the step receives as one text, and
/// of the keys of what it was handed.
class ProductKey {
  public:
    ProductKey(std::string_view step, int version) : step_(step), version_(version) {}

    /// The step's settings, whole and serialised; more than one call adds more.
    ProductKey& settings(std::string text);

    /// The key of another product, the content of a file, or what a header was taken to mean.
    ProductKey& input(std::string_view what, std::string key);

    [[nodiscard]] std::string hex() const;

    /// The same as JSON, for people who ask where a product comes from.
    [[nodiscard]] std::string origin() const;

  private:
    std::string step_;
    int version_;
    std::vector<std::string> settings_;
    std::vector<std::pair<std::string, std::string>> inputs_;
};

} // namespace pathmark::night
