#include "simulate/headers.h"

#include "core/base/sexagesimal.h"

#include <fmt/format.h>

namespace pathmark::simulate {
namespace {

using frame::Header;

std::string iso(const Utc& time, int decimals) {
    std::string text = toIso(time, decimals);
    text.pop_back(); // header keywords carry no Z
    return text;
}

std::string kindWord(const FrameStory& story, const std::string& dialect) {
    if (dialect == "b") {
        return story.kind;
    }
    if (dialect == "c") {
        return story.kind == "light" ? "object" : story.kind == "bias" ? "zero" : story.kind;
    }
    if (story.kind == "flat") {
        return "Flat Field";
    }
    std::string word = story.kind + " Frame";
    word[0] = static_cast<char>(word[0] - 'a' + 'A');
    return word;
}

void dialectA(const FrameStory& s, Header& h) {
    h.set("IMAGETYP", kindWord(s, "a"));
    h.set("DATE-OBS", iso(s.start, 3), "start of exposure (UT)");
    h.set("EXPTIME", s.exposureSeconds, "[s]");
    h.set("CCD-TEMP", s.measuredTemperature, "[C]");
    if (!s.filter.empty()) {
        h.set("FILTER", s.filter);
    }
    if (s.pointing) {
        h.set("OBJECT", s.object);
        h.set("OBJCTRA", toHours(Angle::degrees(s.raDegrees), 0));
        h.set("OBJCTDEC", toDegrees(Angle::degrees(s.decDegrees), 0));
    }
}

void dialectB(const FrameStory& s, Header& h) {
    const std::string start = iso(s.start, 2);
    h.set("FRAMETYP", kindWord(s, "b"));
    h.set("DATE-OBS", start.substr(0, 10));
    h.set("TIME-OBS", start.substr(11), "UT at the start");
    h.set("EXPOSURE", s.exposureSeconds, "[s]");
    h.set("DET-TEMP", s.measuredTemperature, "[C]");
    if (!s.filter.empty()) {
        h.set("FILTNAM", s.filter);
    }
    if (s.pointing) {
        h.set("TARGET", s.object);
        h.set("RA", s.raDegrees, "[deg]");
        h.set("DEC", s.decDegrees, "[deg]");
    }
}

void dialectC(const FrameStory& s, Header& h) {
    h.set("OBSTYPE", kindWord(s, "c"));
    h.set("DATE-AVG", iso(s.start.plusSeconds(0.5 * s.exposureSeconds), 3), "middle of exposure");
    h.set("DATE-OBS", iso(s.start, 3));
    h.set("EXPTIME", s.exposureSeconds);
    h.set("CCD-TEMP", s.measuredTemperature);
    if (!s.filter.empty()) {
        h.set("FILTER",
              std::string(s.filter == "R"   ? "Red"
                          : s.filter == "G" ? "Green"
                                            : s.filter));
    }
    if (s.pointing) {
        h.set("OBJECT", s.object);
        h.set("RA", toHours(Angle::degrees(s.raDegrees), 2, ':'));
        h.set("DEC", toDegrees(Angle::degrees(s.decDegrees), 1, ':'));
    }
}

} // namespace

Header makeHeader(const FrameStory& story, const CameraScenario& camera, const SiteScenario& site) {
    Header h;
    if (camera.dialect == "b") {
        dialectB(story, h);
    } else if (camera.dialect == "c") {
        dialectC(story, h);
    } else {
        dialectA(story, h);
    }
    h.set("SET-TEMP", camera.temperatureCelsius, "[C] set point");
    h.set("XBINNING", static_cast<long long>(camera.binning));
    h.set("YBINNING", static_cast<long long>(camera.binning));
    h.set("XPIXSZ", camera.pixelMicrometres, "[um]");
    h.set("YPIXSZ", camera.pixelMicrometres, "[um]");
    h.set("FOCALLEN", site.focalMillimetres, "[mm]");
    h.set("INSTRUME", camera.name);
    if (!camera.bayer.empty()) {
        h.set("BAYERPAT", camera.bayer);
    }
    h.set("OBSERVER", site.observer);
    h.set("TELESCOP", site.telescope);
    return h;
}

} // namespace pathmark::simulate
