#include "desk/archive/archive_model.h"

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

/// Three rows: a bright body, one without a magnitude, one at its frame's limit.
NightSnapshot someNight() {
    NightSnapshot night;
    night.isArchive = true;
    const auto put = [&](const char* body,
                         const char* time,
                         std::optional<double> magnitude,
                         std::optional<double> snr,
                         const char* frame) {
        night::PredictionRecord p;
        p.body = orbit::BodyId::of(body);
        p.time = *parseUtc(time);
        p.magnitude = magnitude;
        p.snr = snr;
        p.file = frame;
        night.predictions.edit().push_back(p);
    };
    put("2031 AB1", "2031-02-03T04:05:06", 15.0, 500.0, "/n/c.fits");
    put("C/2031 A1", "2030-01-01T00:00:00", std::nullopt, std::nullopt, "/n/a.fits");
    put("(3202)", "2032-12-31T23:59:00", 20.0, 5.0, "/n/b.fits");
    return night;
}

class ArchiveModelTest : public testing::Test {
  protected:
    ArchiveModelTest() : night(someNight()) { model.setNight(&night); }

    [[nodiscard]] std::vector<std::size_t> order() const {
        std::vector<std::size_t> rows;
        for (int row = 0; row < model.rowCount(); ++row) {
            rows.push_back(model.predictionOf(row));
        }
        return rows;
    }

    NightSnapshot night;
    ArchiveModel model;
};

TEST_F(ArchiveModelTest, RowsComeInOrderOfAnyColumn) {
    using Rows = std::vector<std::size_t>;
    EXPECT_EQ(order(), (Rows{1, 0, 2})) << "of time at first";
    model.sort(ArchiveModel::Time, Qt::DescendingOrder);
    EXPECT_EQ(order(), (Rows{2, 0, 1}));
    model.sort(ArchiveModel::Magnitude, Qt::AscendingOrder);
    EXPECT_EQ(order(), (Rows{0, 2, 1})) << "what has no magnitude stands last";
    model.sort(ArchiveModel::Above, Qt::DescendingOrder);
    EXPECT_EQ(order(), (Rows{0, 2, 1}));
    model.sort(ArchiveModel::File, Qt::AscendingOrder);
    EXPECT_EQ(order(), (Rows{1, 2, 0}));
}

TEST_F(ArchiveModelTest, TheFilterLooksAtBodiesAndFrames) {
    model.setFilter("2031 a");
    EXPECT_EQ(model.rowCount(), 2);
    model.setFilter("B.FITS");
    EXPECT_EQ(order(), (std::vector<std::size_t>{2}));
    model.setFilter("nothing");
    EXPECT_EQ(model.rowCount(), 0);
    model.setFilter("");
    EXPECT_EQ(model.rowCount(), 3);
    model.setNight(nullptr);
    EXPECT_EQ(model.rowCount(), 0);
}

/// Truth: 500 is a hundred times the five of the limit: five magnitudes.
TEST_F(ArchiveModelTest, SaysHowFarAboveTheLimitABodyIs) {
    model.sort(ArchiveModel::Magnitude, Qt::AscendingOrder);
    const auto cell = [&](int row, int column) {
        return model.data(model.index(row, column), Qt::DisplayRole).toString();
    };
    EXPECT_EQ(cell(0, ArchiveModel::Above), "5.0");
    EXPECT_EQ(cell(1, ArchiveModel::Above), "0.0");
    EXPECT_EQ(cell(2, ArchiveModel::Above), "–");
    EXPECT_EQ(cell(0, ArchiveModel::Time), "2031-02-03 04:05");
    EXPECT_EQ(cell(0, ArchiveModel::File), "c.fits");
}

} // namespace
} // namespace pathmark::desk
