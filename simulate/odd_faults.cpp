#include "simulate/odd_faults.h"

#include "core/base/atomic_file.h"
#include "simulate/header_cards.h"
#include "simulate/noise_hash.h"

#include <algorithm>
#include <array>
#include <optional>

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

/// A fault that is no file's, or for which no frame was left.
FaultDone ofNoFile(OddFault fault) {
    return {fault, {}, false, false};
}

class FaultMaker {
  public:
    FaultMaker(fs::path folder, std::uint64_t seed)
        : folder_(std::move(folder)), hash_(NoiseHash(seed).child(77)),
          lights_(framesIn(folder_ / "lights")) {}

    Result<FaultDone> make(OddFault fault) {
        switch (fault) {
        case OddFault::NoExposure:
            return change(fault, [](HeaderCards& c) {
                c.remove({"EXPTIME", "EXPOSURE"});
                return c.text("DATE-AVG").empty(); // else the middle is known all the same
            });
        case OddFault::NoDate:
            return change(fault, [](HeaderCards& c) {
                c.remove({"DATE-OBS", "TIME-OBS", "DATE-AVG"});
                return true;
            });
        case OddFault::TwoTimes:
            return change(fault, [](HeaderCards& c) {
                c.set("MJD-OBS", "58849.5");
                return false;
            });
        case OddFault::Truncated: return truncate();
        case OddFault::Twice: return copy();
        case OddFault::NotFits: return text();
        case OddFault::NoPointing: return withoutPointing();
        case OddFault::Decoys: return decoys();
        default: return ofNoFile(fault);
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
            return ofNoFile(fault);
        }
        auto cards = HeaderCards::read(*path);
        if (!cards) {
            return fail(cards.error());
        }
        const bool isUnusable = act(*cards);
        if (auto written = writeWholeText(*path, cards->bytes()); !written) {
            return fail(written.error());
        }
        return FaultDone{fault, path->filename().string(), true, isUnusable};
    }

    Result<FaultDone> truncate() {
        const auto path = nextLight();
        if (!path) {
            return ofNoFile(OddFault::Truncated);
        }
        const double share = 0.1 + 0.85 * hash_.uniform(draw_++);
        fs::resize_file(
            *path, static_cast<std::uintmax_t>(share * static_cast<double>(fs::file_size(*path))));
        return FaultDone{OddFault::Truncated, path->filename().string(), true, true};
    }

    Result<FaultDone> copy() {
        const auto path = nextLight();
        if (!path) {
            return ofNoFile(OddFault::Twice);
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
            if (auto cards = HeaderCards::read(path); cards && cards->bytes().size() > 2880) {
                cards->remove({"RA", "DEC", "OBJCTRA", "OBJCTDEC"});
                if (auto written = writeWholeText(path, cards->bytes()); !written) {
                    return fail(written.error());
                }
            }
        }
        return ofNoFile(OddFault::NoPointing);
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
            auto cards = HeaderCards::read(path);
            if (!cards) {
                return fail(cards.error());
            }
            if (isDark) {
                cards->set("SET-TEMP", "21.5");
                cards->set(cards->text("DET-TEMP").empty() ? "CCD-TEMP" : "DET-TEMP", "21.4");
            } else {
                cards->set(cards->text("FILTNAM").empty() ? "FILTER" : "FILTNAM", "'Halpha  '");
            }
            if (auto written =
                    writeWholeText(folder_ / "calibration" / ("other_" + name), cards->bytes());
                !written) {
                return fail(written.error());
            }
        }
        return ofNoFile(OddFault::Decoys);
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
