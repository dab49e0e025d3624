#pragma once

namespace pathmark::simulate {

/// An elliptical Moffat profile as its inner loop takes it: norm (1 + p^2 + q^2)^-beta with p = px dx + py dy and q = qx dx + qy dy.
struct MoffatTerms {
    float px, py, qx, qy, beta, norm;
};

/// Adds the profile to `count` places of a row, the first of them (dx, dy) from the middle, the next `step` further in x: its mean
/// over a square pixel about each by `points` (1 to 3) times as many points of Gauss.
///
/// Accuracy 3e-6 of the value at the points
void addMoffatRow(
    float* row, int count, const MoffatTerms& terms, float dx, float dy, float step, int points);

} // namespace pathmark::simulate
