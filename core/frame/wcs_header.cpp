#include "core/frame/foreign_wcs.h"
#include "core/frame/wcs.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <string>

namespace pathmark::frame {
namespace {

bool isWcsKeyword(const std::string& key) {
    static const std::array<std::string_view, 24> exact{
        "CTYPE1",  "CTYPE2",  "CRVAL1",  "CRVAL2",  "CRPIX1",  "CRPIX2", "CUNIT1", "CUNIT2",
        "CD1_1",   "CD1_2",   "CD2_1",   "CD2_2",   "CDELT1",  "CDELT2", "CROTA1", "CROTA2",
        "RADESYS", "EQUINOX", "LONPOLE", "LATPOLE", "WCSAXES", "PC1_1",  "PC1_2",  "PC2_1"};
    if (std::find(exact.begin(), exact.end(), key) != exact.end() || key == "PC2_2") {
        return true;
    }
    for (const std::string_view prefix : {"A_", "B_", "AP_", "BP_"}) {
        if (key.starts_with(prefix) && key.size() > prefix.size() &&
            (std::isdigit(static_cast<unsigned char>(key[prefix.size()])) != 0 ||
             key.ends_with("ORDER"))) {
            return true;
        }
    }
    return false;
}

void writeSip(const SipPolynomial& polynomial, const std::string& prefix, Header& header) {
    if (polynomial.order() < 1) {
        return;
    }
    header.set(prefix + "_ORDER", static_cast<long long>(polynomial.order()), "SIP distortion");
    for (int p = 0; p <= polynomial.order(); ++p) {
        for (int q = 0; p + q <= polynomial.order(); ++q) {
            if (polynomial.coefficient(p, q) != 0.0) {
                header.set(fmt::format("{}_{}_{}", prefix, p, q), polynomial.coefficient(p, q));
            }
        }
    }
}

SipPolynomial readSip(const Header& header, const std::string& prefix) {
    const int order = static_cast<int>(header.number(prefix + "_ORDER").value_or(0.0));
    if (order < 1 || order > 9) {
        return {};
    }
    SipPolynomial polynomial(order);
    for (int p = 0; p <= order; ++p) {
        for (int q = 0; p + q <= order; ++q) {
            polynomial.setCoefficient(
                p, q, header.number(fmt::format("{}_{}_{}", prefix, p, q)).value_or(0.0));
        }
    }
    return polynomial;
}

/// The linear part in degrees per pixel, from whichever of the three conventions is there.
std::optional<std::array<double, 4>> readLinear(const Header& header) {
    const auto value = [&](const char* key) { return header.number(key); };
    if (value("CD1_1") || value("CD1_2") || value("CD2_1") || value("CD2_2")) {
        return std::array{value("CD1_1").value_or(0.0),
                          value("CD1_2").value_or(0.0),
                          value("CD2_1").value_or(0.0),
                          value("CD2_2").value_or(0.0)};
    }
    const auto scaleX = value("CDELT1");
    const auto scaleY = value("CDELT2");
    if (!scaleX || !scaleY) {
        return std::nullopt;
    }
    const double turn = value("CROTA2").value_or(0.0) * kRadiansPerDegree;
    const double c = std::cos(turn);
    const double s = std::sin(turn);
    const bool hasPc = value("PC1_1").has_value() || value("PC2_2").has_value();
    // CROTA2 form: Calabretta & Greisen 2002, section 6.1.
    return std::array{*scaleX * (hasPc ? value("PC1_1").value_or(1.0) : c),
                      hasPc ? *scaleX * value("PC1_2").value_or(0.0) : -*scaleY * s,
                      hasPc ? *scaleY * value("PC2_1").value_or(0.0) : *scaleX * s,
                      *scaleY * (hasPc ? value("PC2_2").value_or(1.0) : c)};
}

} // namespace

void removeWcs(Header& header) {
    std::vector<std::string> old;
    for (const Card& card : header.cards()) {
        if (isWcsKeyword(card.keyword)) {
            old.push_back(card.keyword);
        }
    }
    for (const std::string& keyword : old) {
        header.remove(keyword);
    }
}

void writeWcs(const Wcs& wcs, Header& header) {
    removeWcs(header);
    const bool distorted = wcs.a.order() > 1;
    const PixelPos reference = toFits(wcs.referencePixel);
    header.set("WCSAXES", 2LL);
    header.set("CTYPE1", std::string(distorted ? "RA---TAN-SIP" : "RA---TAN"));
    header.set("CTYPE2", std::string(distorted ? "DEC--TAN-SIP" : "DEC--TAN"));
    header.set("CUNIT1", std::string("deg"));
    header.set("CUNIT2", std::string("deg"));
    header.set("RADESYS", std::string("ICRS"));
    header.set("EQUINOX", 2000.0);
    header.set("CRVAL1", wcs.referenceSky.longitude.degrees(), "[deg] RA at reference");
    header.set("CRVAL2", wcs.referenceSky.latitude.degrees(), "[deg] Dec at reference");
    header.set("CRPIX1", reference.x, "first pixel centre = 1");
    header.set("CRPIX2", reference.y);
    header.set("CD1_1", wcs.cd[0] / kRadiansPerDegree);
    header.set("CD1_2", wcs.cd[1] / kRadiansPerDegree);
    header.set("CD2_1", wcs.cd[2] / kRadiansPerDegree);
    header.set("CD2_2", wcs.cd[3] / kRadiansPerDegree);
    if (distorted) {
        writeSip(wcs.a, "A", header);
        writeSip(wcs.b, "B", header);
        writeSip(wcs.ap, "AP", header);
        writeSip(wcs.bp, "BP", header);
    }
}

namespace {

/// Other projections: through wcslib, over the frame.
Result<Wcs> readForeign(const Header& header, int width, int height) {
    const auto side = [&](int known, const char* reference) {
        // Of a header without pixels one can only guess: as if the reference were in the middle.
        return known > 0 ? known
                         : static_cast<int>(
                               2.0 * std::max(1.0, header.number(reference).value_or(512.0)));
    };
    return readForeignWcs(header, side(width, "CRPIX1"), side(height, "CRPIX2"));
}

} // namespace

Result<Wcs> readWcs(const Header& header, int width, int height) {
    const auto type1 = header.text("CTYPE1");
    const auto type2 = header.text("CTYPE2");
    if (!type1 || !type2) {
        return fail(ErrorId::FrameBadWcs,
                    "The header holds no plate solution; solve the frame first.");
    }
    const bool plain = *type1 == "RA---TAN" && *type2 == "DEC--TAN";
    const bool sip = *type1 == "RA---TAN-SIP" && *type2 == "DEC--TAN-SIP";
    if ((!plain && !sip) || header.find("PV1_1") != nullptr || header.find("PV2_1") != nullptr ||
        header.find("CQDIS1") != nullptr || header.find("CPDIS1") != nullptr) {
        return readForeign(header, width, height);
    }
    const auto ra = header.number("CRVAL1");
    const auto dec = header.number("CRVAL2");
    const auto x = header.number("CRPIX1");
    const auto y = header.number("CRPIX2");
    const auto linear = readLinear(header);
    if (!ra || !dec || !x || !y || !linear ||
        (*linear)[0] * (*linear)[3] - (*linear)[1] * (*linear)[2] == 0.0) {
        return fail(ErrorId::FrameBadWcs, "The solution in the header is incomplete; solve again.");
    }
    Wcs wcs;
    wcs.referenceSky = skyDegrees(*ra, *dec);
    wcs.referencePixel = fromFits({*x, *y});
    for (std::size_t i = 0; i < 4; ++i) {
        wcs.cd[i] = (*linear)[i] * kRadiansPerDegree;
    }
    if (sip) {
        wcs.a = readSip(header, "A");
        wcs.b = readSip(header, "B");
        wcs.ap = readSip(header, "AP");
        wcs.bp = readSip(header, "BP");
    }
    return wcs;
}

} // namespace pathmark::frame
