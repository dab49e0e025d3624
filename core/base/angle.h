#pragma once

#include <array>
#include <cmath>
#include <compare>
#include <numbers>

namespace pathmark {

constexpr double kRadiansPerDegree = std::numbers::pi / 180.0;
constexpr double kRadiansPerArcsec = kRadiansPerDegree / 3600.0;

/// An angle; made by naming the unit and read by naming it.
class Angle {
  public:
    constexpr Angle() = default;

    static constexpr Angle radians(double value) { return Angle(value); }

    static constexpr Angle degrees(double value) { return Angle(value * kRadiansPerDegree); }

    static constexpr Angle arcsec(double value) { return Angle(value * kRadiansPerArcsec); }

    [[nodiscard]] constexpr double radians() const { return value_; }

    [[nodiscard]] constexpr double degrees() const { return value_ / kRadiansPerDegree; }

    [[nodiscard]] constexpr double arcsec() const { return value_ / kRadiansPerArcsec; }

    friend constexpr auto operator<=>(Angle, Angle) = default;

    friend constexpr Angle operator+(Angle a, Angle b) { return Angle(a.value_ + b.value_); }

    friend constexpr Angle operator-(Angle a, Angle b) { return Angle(a.value_ - b.value_); }

    friend constexpr Angle operator*(double factor, Angle a) { return Angle(factor * a.value_); }

  private:
    explicit constexpr Angle(double value) : value_(value) {}

    double value_ = 0.0;
};

/// The same angle in [0, 2 pi).
inline Angle normalised(Angle angle) {
    constexpr double turn = 2.0 * std::numbers::pi;
    const double rest = std::fmod(angle.radians(), turn);
    return Angle::radians(rest < 0.0 ? rest + turn : rest);
}

using Vec3 = std::array<double, 3>;

inline Vec3 operator+(const Vec3& a, const Vec3& b) {
    return {a[0] + b[0], a[1] + b[1], a[2] + b[2]};
}

inline Vec3 operator-(const Vec3& a, const Vec3& b) {
    return {a[0] - b[0], a[1] - b[1], a[2] - b[2]};
}

inline Vec3 operator*(double factor, const Vec3& a) {
    return {factor * a[0], factor * a[1], factor * a[2]};
}

inline double dot(const Vec3& a, const Vec3& b) {
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
}

inline Vec3 cross(const Vec3& a, const Vec3& b) {
    return {a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]};
}

inline double norm(const Vec3& a) {
    return std::sqrt(dot(a, a));
}

struct Icrs;

/// A direction on the sky in the frame named by the type.
template <typename Frame>
struct Direction {
    Angle longitude; ///< right ascension for ICRS, [0, 2 pi) where we made it
    Angle latitude;  ///< declination for ICRS

    [[nodiscard]] Vec3 vector() const {
        const double c = std::cos(latitude.radians());
        return {c * std::cos(longitude.radians()),
                c * std::sin(longitude.radians()),
                std::sin(latitude.radians())};
    }

    static Direction fromVector(const Vec3& v) {
        return {normalised(Angle::radians(std::atan2(v[1], v[0]))),
                Angle::radians(std::atan2(v[2], std::hypot(v[0], v[1])))};
    }
};

using SkyPos = Direction<Icrs>;

inline SkyPos skyDegrees(double ra, double dec) {
    return {Angle::degrees(ra), Angle::degrees(dec)};
}

/// The angle between two directions, accurate from 0 to pi.
template <typename Frame>
Angle separation(const Direction<Frame>& a, const Direction<Frame>& b) {
    const Vec3 u = a.vector();
    const Vec3 v = b.vector();
    return Angle::radians(std::atan2(norm(cross(u, v)), dot(u, v)));
}

/// A place in the tangent plane of some direction, in radians: xi to the east, eta to the north.
struct PlanePos {
    double xi = 0.0;
    double eta = 0.0;
};

/// Gnomonic projection of a direction about a tangent point.
///
/// Domain   Directions nearer than 90 degrees to the tangent point; others give NaN.
/// Source   Calabretta & Greisen 2002, A&A 395, 1077, section 5.1.3.
inline PlanePos toTangentPlane(const SkyPos& tangentPoint, const SkyPos& place) {
    const double sd0 = std::sin(tangentPoint.latitude.radians());
    const double cd0 = std::cos(tangentPoint.latitude.radians());
    const double sd = std::sin(place.latitude.radians());
    const double cd = std::cos(place.latitude.radians());
    const double dra = place.longitude.radians() - tangentPoint.longitude.radians();
    const double w = sd * sd0 + cd * cd0 * std::cos(dra);
    if (w <= 0.0) {
        return {std::nan(""), std::nan("")};
    }
    return {cd * std::sin(dra) / w, (sd * cd0 - cd * sd0 * std::cos(dra)) / w};
}

/// The inverse of toTangentPlane.
inline SkyPos fromTangentPlane(const SkyPos& tangentPoint, const PlanePos& plane) {
    const double sd0 = std::sin(tangentPoint.latitude.radians());
    const double cd0 = std::cos(tangentPoint.latitude.radians());
    const double up = cd0 - plane.eta * sd0;
    const double dec = std::atan2(sd0 + plane.eta * cd0, std::hypot(plane.xi, up));
    const double dra = std::atan2(plane.xi, up);
    return {normalised(Angle::radians(tangentPoint.longitude.radians() + dra)),
            Angle::radians(dec)};
}

/// The place that lies so many arcseconds to the east and to the north, on the sky.
inline SkyPos offsetBy(const SkyPos& from, double eastArcsec, double northArcsec) {
    return fromTangentPlane(
        from, {Angle::arcsec(eastArcsec).radians(), Angle::arcsec(northArcsec).radians()});
}

/// Where something is after so many seconds that moves at a rate towards a position angle (east of north).
inline SkyPos
movedAlong(const SkyPos& from, double rateArcsecPerMin, Angle positionAngle, double seconds) {
    const double moved = rateArcsecPerMin * seconds / 60.0;
    return offsetBy(
        from, moved * std::sin(positionAngle.radians()), moved * std::cos(positionAngle.radians()));
}

} // namespace pathmark
