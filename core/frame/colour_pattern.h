#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

namespace pathmark::frame {

/// The colours that the pixels of a camera see: a square of 2 x 2 or of 6 x 6 that repeats over the sensor, in the file's rows as they
/// stand.
///
/// Model    A cell is what is summed to one pixel: all of a square of 2 x 2; of one of 6 x 6 a quarter, 3 x 3 pixels, cut where each
///          colour lies about the middle of its cell, so that no colour leans away from it.
class ColourPattern {
  public:
    /// `letters`: 4 or 36 of R, G and B, row by row. Nothing where it is another, where a colour is missing, or where no cut of a square
    /// of 6 x 6 has each colour about the middle of its cells.
    static std::optional<ColourPattern> of(std::string_view letters);

    [[nodiscard]] const std::string& letters() const { return letters_; }

    /// Of the square that repeats: 2 or 6.
    [[nodiscard]] int side() const { return side_; }

    /// Pixels of a cell each way: 2 or 3.
    [[nodiscard]] int cell() const { return cell_; }

    /// Where on the frame the first cell begins, both ways; 0 where the square is of 2 x 2.
    [[nodiscard]] int firstX() const { return firstX_; }

    [[nodiscard]] int firstY() const { return firstY_; }

    /// Any pixel, also beyond the edges.
    [[nodiscard]] char at(int x, int y) const {
        const int column = (x % side_ + side_) % side_;
        const int row = (y % side_ + side_) % side_;
        return letters_[static_cast<std::size_t>(row * side_ + column)];
    }

    /// Pixels of a cell that see a colour.
    [[nodiscard]] int countInCell(char colour) const;

    /// What a frame sees of it that begins so far inside of this.
    [[nodiscard]] std::optional<ColourPattern> from(int x, int y) const;

    /// The same sensor read out from its other end.
    [[nodiscard]] std::optional<ColourPattern> turnedOver(int height) const;

  private:
    ColourPattern(std::string letters, int side)
        : letters_(std::move(letters)), side_(side), cell_(side == 2 ? 2 : 3) {}

    [[nodiscard]] bool isBalancedFrom(int x, int y) const;

    std::string letters_;
    int side_;
    int cell_;
    int firstX_ = 0;
    int firstY_ = 0;
};

} // namespace pathmark::frame
