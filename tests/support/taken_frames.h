#pragma once

#include "core/calibrate/match.h"

#include <algorithm>
#include <functional>
#include <string>
#include <vector>

namespace pathmark::calibrate {

using frame::FrameInfo;
using frame::FrameKind;

constexpr double kNight = 2464000.0;

/// What a header says of one group of frames; the rest is as in the lights of every situation.
struct Taken {
    FrameKind kind = FrameKind::Light;
    double exposure = 60.0;     ///< below 0: not known
    double temperature = -10.0; ///< 99: not known
    std::string filter{};
    double night = 0.0; ///< days after the lights
    int count = 10;
    int width = 100;
    int binning = 1;
    double gain = 100.0; ///< below 0: not known
    double offset = -1.0;
    std::string mode{};
    std::string camera = "Brack M2";
    std::string bayer{};
    double rotation = 999.0; ///< 999: not known
    double level = -1.0;     ///< ADU; below 0: not looked at
    bool master = false;
    int planes = 1;
};

inline std::vector<FrameInfo> framesOf(const Taken& taken) {
    static int number = 0;
    std::vector<FrameInfo> frames;
    for (int i = 0; i < taken.count; ++i) {
        FrameInfo f;
        f.path = "/n/" + std::to_string(number++) + ".fits";
        f.kind = taken.kind;
        f.isMaster = taken.master;
        f.width = taken.width;
        f.height = 80;
        f.planes = taken.planes;
        f.exposureKnown = taken.exposure >= 0.0;
        f.exposureSeconds = std::max(0.0, taken.exposure);
        f.filter = taken.filter;
        f.camera = taken.camera;
        f.bayerPattern = taken.bayer;
        f.readoutMode = taken.mode;
        f.binningX = f.binningY = taken.binning;
        if (taken.temperature < 90.0) {
            f.temperatureCelsius = taken.temperature;
        }
        if (taken.gain >= 0.0) {
            f.gainSetting = taken.gain;
        }
        if (taken.offset >= 0.0) {
            f.offsetSetting = taken.offset;
        }
        if (taken.rotation < 900.0) {
            f.rotationDegrees = taken.rotation;
        }
        if (taken.level >= 0.0) {
            f.sample = frame::PixelSample{taken.level, 10.0, 0.0, 1.0};
        }
        f.midExposure = Utc::julian(kNight + taken.night, 0.001 * i);
        f.pointing = skyDegrees(10.0, 10.0);
        frames.push_back(f);
    }
    return frames;
}

inline Taken bias() {
    return {.kind = FrameKind::Bias, .exposure = 0.0};
}

inline Taken dark(double exposure = 60.0) {
    return {.kind = FrameKind::Dark, .exposure = exposure};
}

inline Taken flat(const std::string& filter = "R", double exposure = 3.0) {
    return {.kind = FrameKind::Flat, .exposure = exposure, .filter = filter};
}

inline Taken with(Taken taken, const std::function<void(Taken&)>& change) {
    change(taken);
    return taken;
}

inline const Taken kLight{.kind = FrameKind::Light, .filter = "R", .count = 5};

inline Taken lightWith(const std::function<void(Taken&)>& change) {
    return with(kLight, change);
}

inline std::vector<FrameGroup> groupsOf(const std::vector<Taken>& list) {
    std::vector<FrameInfo> frames;
    for (const Taken& taken : list) {
        const auto more = framesOf(taken);
        frames.insert(frames.end(), more.begin(), more.end());
    }
    return groupFrames(frames);
}

} // namespace pathmark::calibrate
