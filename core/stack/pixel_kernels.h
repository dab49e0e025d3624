#pragma once

#include <cstddef>
#include <span>

// Loops over the pixels of a row; compiled with the options that make vector instructions of them.
namespace pathmark::stack {

constexpr int kRun = 16; ///< neighbouring pixels over which a mapping, or a level, is linear

/// Takes a level off a row that is known at every kRun-th pixel of it and linear between.
///
/// Shapes   nodes: one more than there are runs in the row, counting one that is begun.
void subtractLevels(std::span<const float> nodes, std::span<float> row);

std::size_t countFinite(std::span<const float> values);

/// A row with nought where there is no value.
void copyFinite(std::span<const float> from, std::span<float> to);

/// What is not below a limit has no value any more.
void dropFrom(float limit, std::span<float> row);

/// What may be taken off a row of a picture, and where.
struct TakenLight {
    std::span<const float> light;  ///< to be taken off
    std::span<const float> beside; ///< the brightest of it about each pixel
    std::span<const float> model;  ///< what it was made of
    float mostLight = 0.0F;        ///< from there on it is not trusted
    float mostModel = 0.0F;
};

/// The brightest of three by three pixels about each of the middle row.
void brightestBeside(std::span<const float> above,
                     std::span<const float> row,
                     std::span<const float> below,
                     std::span<float> brightest);

/// Takes light off a row; no value is left where it is not trusted.
void takeLight(const TakenLight& taken, std::span<float> row);

} // namespace pathmark::stack
