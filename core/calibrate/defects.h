#pragma once

#include "core/calibrate/master.h"
#include "core/frame/frame_info.h"

#include <cstdint>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// Why a pixel is not to be used.
enum class Defect : std::uint8_t { None, Hot, Unstable, Dead, Column };

/// The pixels of one camera that are not to be used, row by row.
struct DefectMap {
    std::vector<Defect> pixels; ///< empty: none is known
    int hot = 0;
    int unstable = 0;
    int dead = 0;
    int columns = 0; ///< whole columns

    [[nodiscard]] int count() const;
    /// Takes in those of another map of the same camera.
    void add(const DefectMap& other);
    /// "12 hot, 3 unstable, 0 dead pixels, 1 column".
    [[nodiscard]] std::string words() const;
};

/// Finds defects in the masters of one camera; each may be null.
///
/// Model    Hot: its dark current makes its noise threefold that of read noise and a sky as large. Unstable: it
///          scatters in the darks with twelve times the variance of its neighbours and its dark current. Dead: the
///          flat falls below 0.6 of the median of its 5 x 5 neighbours. Column: a quarter of its pixels are defect.
DefectMap findDefects(const Master* dark, const Master* flat, const frame::NoiseModel& noise);

/// Pixels that stand out in the median of a series of lights: what there is to go by without darks.
///
/// Model    Hot: 10 sigma over its row neighbours and sharper than any star (FWHM 1.5 pixels), so that stars and comets that stand still
///          on the detector are none. Dead: as far under them, and darker than all around. Column: as above.
/// Errors   those of combine::combineFiles
Result<DefectMap> findDefectsInLights(const FrameGroup& lights, const Job& job);

} // namespace pathmark::calibrate
