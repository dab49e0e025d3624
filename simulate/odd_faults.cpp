#include "simulate/odd_faults.h"

#include "core/base/atomic_file.h"
#include "core/base/whole_file.h"
#include "simulate/noise_hash.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <initializer_list>
#include <string_view>

namespace pathmark::simulate {
namespace {

namespace fs = std::filesystem;

std::vector<fs::path> framesIn(const fs::path& folder) {
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder)) {
        files.push_back(entry.path());
    }
    std::sort(files.begin(), files.end());
    return files;
}

/// A FITS file's bytes, whose cards can be changed in place.
class Cards {
  public:
    static Result<Cards> read(fs::path path) {
        auto bytes = readWholeFile(path);
        if (!bytes) {
            return fail(ErrorId::FrameNotReadable, "A made frame cannot be read.", path.string());
        }
        return Cards(std::move(path), std::move(*bytes));
    }

    void remove(std::initializer_list<std::string_view> keywords) {
        for (const std::string_view keyword : keywords) {
            if (const auto at = find(keyword); at != std::string::npos) {
                bytes_.replace(at, 80, fmt::format("{:<80}", "COMMENT"));
            }
        }
    }

    /// Sets a card, in place of an old one or of a comment; the headers of the simulator have room before their end.
    void set(std::string_view keyword, const std::string& value) {
        auto at = find(keyword);
        if (at == std::string::npos) {
            at = find("END");
            bytes_.replace(at + 80, 80, fmt::format("{:<80}", "END"));
        }
        bytes_.replace(at, 80, fmt::format("{:<80}", fmt::format("{:<8}= {}", keyword, value)));
    }

    [[nodiscard]] std::string text(std::string_view keyword) const {
        const auto at = find(keyword);
        return at == std::string::npos ? std::string() : bytes_.substr(at + 10, 70);
    }

    [[nodiscard]] const std::string& bytes() const { return bytes_; }

    Result<bool> write() const { return writeWholeText(path_, bytes_); }

    Result<bool> writeAs(const fs::path& path) const { return writeWholeText(path, bytes_); }

  private:
    Cards(fs::path path, std::string bytes) : path_(std::move(path)), bytes_(std::move(bytes)) {}

    [[nodiscard]] std::size_t find(std::string_view keyword) const {
        const std::string head = fmt::format("{:<8}", keyword);
        for (std::size_t at = 0; at + 80 <= bytes_.size(); at += 80) {
            if (bytes_.compare(at, 8, head) == 0) {
                return at;
            }
            if (bytes_.compare(at, 8, "END     ") == 0) {
                break;
            }
        }
        return std::string::npos;
    }

    fs::path path_;
    std::string bytes_;
};

class FaultMaker {
  public:
    FaultMaker(fs::path folder, std::uint64_t seed)
        : folder_(std::move(folder)), hash_(NoiseHash(seed).child(77)),
          lights_(framesIn(folder_ / "lights")) {}

    Result<FaultDone> make(OddFault fault) {
        switch (fault) {
        case OddFault::NoExposure:
            return change(fault, [](Cards& c) {
                c.remove({"EXPTIME", "EXPOSURE"});
                return c.text("DATE-AVG").empty(); // else the middle is known all the same
            });
        case OddFault::NoDate:
            return change(fault, [](Cards& c) {
                c.remove({"DATE-OBS", "TIME-OBS", "DATE-AVG"});
                return true;
            });
        case OddFault::TwoTimes:
            return change(fault, [](Cards& c) {
                c.set("MJD-OBS", "58849.5");
                return false;
            });
        case OddFault::Truncated: return truncate();
        case OddFault::Twice: return copy();
        case OddFault::NotFits: return text();
        case OddFault::NoPointing: return withoutPointing();
        case OddFault::Decoys: return decoys();
        default: return FaultDone{fault, {}, false, false};
        }
    }

  private:
    /// A light that no other fault has had.
    std::optional<fs::path> nextLight() {
        if (lights_.size() <= 2) {
            return std::nullopt;
        }
        const auto i =
            static_cast<std::size_t>(hash_.uniform(draw_++) * static_cast<double>(lights_.size()));
        const fs::path chosen = lights_[i];
        lights_.erase(lights_.begin() + static_cast<std::ptrdiff_t>(i));
        return chosen;
    }

    /// `act` changes a light and returns whether it is of no use then.
    template <typename Act>
    Result<FaultDone> change(OddFault fault, const Act& act) {
        const auto path = nextLight();
        if (!path) {
            return FaultDone{fault, {}, false, false};
        }
        auto cards = Cards::read(*path);
        if (!cards) {
            return fail(cards.error());
        }
        const bool isUnusable = act(*cards);
        if (auto written = cards->write(); !written) {
            return fail(written.error());
        }
        return FaultDone{fault, path->filename().string(), true, isUnusable};
    }

    Result<FaultDone> truncate() {
        const auto path = nextLight();
        if (!path) {
            return FaultDone{OddFault::Truncated, {}, false, false};
        }
        const double share = 0.1 + 0.85 * hash_.uniform(draw_++);
        fs::resize_file(
            *path, static_cast<std::uintmax_t>(share * static_cast<double>(fs::file_size(*path))));
        return FaultDone{OddFault::Truncated, path->filename().string(), true, true};
    }

    Result<FaultDone> copy() {
        const auto path = nextLight();
        if (!path) {
            return FaultDone{OddFault::Twice, {}, false, false};
        }
        fs::create_directories(folder_ / "lights" / "copies");
        const std::string name = "again_" + path->filename().string();
        fs::copy_file(*path, folder_ / "lights" / "copies" / name);
        return FaultDone{OddFault::Twice, name, true, false};
    }

    Result<FaultDone> text() {
        const std::string name = "zz_notes.fits";
        if (auto written = writeWholeText(folder_ / "lights" / name,
                                          "Wind from the west, dew on the corrector.\n");
            !written) {
            return fail(written.error());
        }
        return FaultDone{OddFault::NotFits, name, true, true};
    }

    Result<FaultDone> withoutPointing() {
        for (const fs::path& path : framesIn(folder_ / "lights")) {
            if (!fs::is_regular_file(path)) {
                continue;
            }
            if (auto cards = Cards::read(path); cards && cards->bytes().size() > 2880) {
                cards->remove({"RA", "DEC", "OBJCTRA", "OBJCTDEC"});
                if (auto written = cards->write(); !written) {
                    return fail(written.error());
                }
            }
        }
        return FaultDone{OddFault::NoPointing, {}, false, false};
    }

    /// Darks of a warm camera and flats of another filter, each with pixels that would be seen.
    Result<FaultDone> decoys() {
        for (const fs::path& path : framesIn(folder_ / "calibration")) {
            const std::string name = path.filename().string();
            const bool isDark = name.find("_dark_") != std::string::npos;
            const bool isFlat = name.find("_flat_") != std::string::npos;
            if (!isDark && !isFlat) {
                continue;
            }
            auto cards = Cards::read(path);
            if (!cards) {
                return fail(cards.error());
            }
            if (isDark) {
                cards->set("SET-TEMP", "21.5");
                cards->set(cards->text("DET-TEMP").empty() ? "CCD-TEMP" : "DET-TEMP", "21.4");
            } else {
                cards->set(cards->text("FILTNAM").empty() ? "FILTER" : "FILTNAM", "'Halpha  '");
            }
            if (auto written = cards->writeAs(folder_ / "calibration" / ("other_" + name));
                !written) {
                return fail(written.error());
            }
        }
        return FaultDone{OddFault::Decoys, {}, false, false};
    }

    fs::path folder_;
    NoiseHash hash_;
    std::vector<fs::path> lights_;
    std::uint64_t draw_ = 0;
};

} // namespace

const char* wordOf(OddFault fault) {
    static constexpr std::array<const char*, kOddFaults> words{"no exposure time",
                                                               "no date",
                                                               "no pointing",
                                                               "wrong hint",
                                                               "cloud",
                                                               "shaken",
                                                               "satellite",
                                                               "truncated",
                                                               "decoys",
                                                               "two times",
                                                               "twice",
                                                               "no FITS",
                                                               "wrong clock",
                                                               "old orbit"};
    return words[static_cast<std::size_t>(fault)];
}

Result<std::vector<FaultDone>>
doFaults(const std::vector<OddFault>& faults, const fs::path& folder, std::uint64_t seed) {
    FaultMaker maker(folder, seed);
    std::vector<FaultDone> done;
    // A copy is of what the others have left.
    std::vector<OddFault> order = faults;
    std::stable_partition(
        order.begin(), order.end(), [](OddFault fault) { return fault != OddFault::Twice; });
    for (const OddFault fault : order) {
        auto one = maker.make(fault);
        if (!one) {
            return fail(one.error());
        }
        done.push_back(*one);
    }
    return done;
}

} // namespace pathmark::simulate
