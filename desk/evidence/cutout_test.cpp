#include "desk/evidence/cutout.h"

#include "core/frame/fits_file.h"
#include "desk/evidence/cutout_strip.h"
#include "desk/jobs/job_runner.h"
#include "tests/support/moving_frames.h"
#include "tests/support/temporary_folder.h"

#include <QSignalSpy>
#include <QTest>

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace pathmark::desk {
namespace {

/// A frame that is turned against the sky, with a light at `at` and one 8 arcsec north of it.
class CutoutTest : public testing::TestWithParam<double> {
  protected:
    static constexpr double kScale = 1.25; ///< arcsec a pixel

    void write(double turn, bool mirrored) {
        frame::Wcs wcs = test_support::turnedWcs(turn, {60.0, 50.0}, kScale);
        if (mirrored) {
            wcs.cd[0] = -wcs.cd[0];
            wcs.cd[2] = -wcs.cd[2];
        }
        frame::Image image(120, 100, 100.0F);
        for (std::size_t i = 0; i < image.pixels().size(); ++i) {
            image.pixels()[i] += static_cast<float>(i * 7919 % 13) - 6.0F; // an even, grainy sky
        }
        paint(image, wcs, at, 4000.0F);
        paint(image, wcs, offsetBy(at, 0.0, 8.0), 3000.0F);
        frame::Header header;
        frame::writeWcs(wcs, header);
        ASSERT_TRUE(frame::writeFits(folder / "frame.fits", image, header));
    }

    static void
    paint(frame::Image& image, const frame::Wcs& wcs, const SkyPos& place, float value) {
        const auto p = wcs.toPixel(place);
        ASSERT_TRUE(p);
        const int x = static_cast<int>(std::lround(p->x));
        const int y = static_cast<int>(std::lround(p->y));
        for (int j = -1; j <= 1; ++j) {
            for (int i = -1; i <= 1; ++i) {
                if (image.contains(x + i, y + j)) {
                    image.at(x + i, y + j) += value;
                }
            }
        }
    }

    [[nodiscard]] night::MeasurementRecord measurement() const {
        night::MeasurementRecord m;
        m.id = "m1";
        m.picture = folder / "frame.fits";
        m.seen = true;
        m.sky = at;
        m.predicted = offsetBy(at, 3600.0, 0.0); // elsewhere: what was seen counts
        return m;
    }

    /// The middle of what is bright within a part of a picture.
    static QPointF lightIn(const QImage& image, const QRect& part) {
        double x = 0.0;
        double y = 0.0;
        double sum = 0.0;
        for (int j = part.top(); j <= part.bottom(); ++j) {
            for (int i = part.left(); i <= part.right(); ++i) {
                const int grey = qGray(image.pixel(i, j));
                if (grey > 200) {
                    x += i;
                    y += j;
                    sum += 1.0;
                }
            }
        }
        return sum > 0.0 ? QPointF(x / sum, y / sum) : QPointF(-1.0, -1.0);
    }

    test_support::TemporaryFolder folder;
    SkyPos at = offsetBy(skyDegrees(100.0, 30.0), 6.0, -4.0);
};

/// Whatever way the camera stood: the light is in the middle, and what is north of it is above it.
TEST_P(CutoutTest, NorthIsUp) {
    for (const bool mirrored : {false, true}) {
        write(GetParam(), mirrored);
        const QImage image = cutout(measurement());
        ASSERT_EQ(image.width(), 31);
        ASSERT_EQ(image.height(), 31);
        const QPointF middle = lightIn(image, QRect(12, 12, 7, 7));
        EXPECT_NEAR(middle.x(), 15.0, 1.0) << GetParam() << mirrored;
        EXPECT_NEAR(middle.y(), 15.0, 1.0) << GetParam() << mirrored;
        const QPointF north = lightIn(image, QRect(11, 5, 9, 7));
        EXPECT_NEAR(north.x(), 15.0, 1.2) << GetParam() << mirrored;
        EXPECT_NEAR(north.y(), 15.0 - 8.0 / kScale, 1.2) << GetParam() << mirrored;
        EXPECT_LT(lightIn(image, QRect(11, 19, 9, 9)).x(), 0.0) << "nothing is south of it";
    }
}

INSTANTIATE_TEST_SUITE_P(Cameras, CutoutTest, testing::Values(0.0, 37.0, 90.0, 181.0, -120.0));

class CutoutFileTest : public CutoutTest {};

TEST_F(CutoutFileTest, AtTheEdgeTheRestIsEmptyAndWithoutAFileThereIsNone) {
    at = offsetBy(skyDegrees(100.0, 30.0), 55.0 * kScale, 0.0);
    write(0.0, false);
    EXPECT_EQ(cutout(measurement()).size(), QSize(31, 31));
    night::MeasurementRecord gone = measurement();
    gone.picture = folder / "gone.fits";
    EXPECT_TRUE(cutout(gone).isNull());
    gone = measurement();
    gone.sky = skyDegrees(280.0, -30.0); // behind the camera
    EXPECT_TRUE(cutout(gone).isNull());
}

class CutoutStripTest : public CutoutTest {
  protected:
    CutoutStripTest() : strip(jobs) {
        write(20.0, false);
        for (int i = 0; i < 14; ++i) {
            night::MeasurementRecord m = measurement();
            m.id = "m" + std::to_string(i);
            m.seen = i != 3;
            m.predicted = m.sky;
            measurements.push_back(m);
        }
        strip.resize(300, 80);
    }

    JobRunner jobs;
    CutoutStrip strip;
    std::vector<night::MeasurementRecord> measurements;
};

TEST_F(CutoutStripTest, AClickChoosesAndTheChoiceStaysWithinWhatThereIs) {
    strip.setMeasurements(measurements);
    strip.show();
    QSignalSpy chosen(&strip, &CutoutStrip::chosenChanged);
    QTest::mouseClick(&strip, Qt::LeftButton, {}, strip.cellRect(7).center());
    ASSERT_EQ(chosen.count(), 1);
    EXPECT_EQ(strip.chosen(), 7);
    QTest::mouseClick(&strip, Qt::LeftButton, {}, strip.cellRect(7).center());
    EXPECT_EQ(chosen.count(), 1) << "it was chosen already";
    strip.setChosen(99);
    EXPECT_EQ(strip.chosen(), 13);
    strip.setChosen(-5);
    EXPECT_EQ(strip.chosen(), 0);
}

TEST_F(CutoutStripTest, CellsLieBesideEachOtherAndInTheStrip) {
    strip.setMeasurements(measurements);
    for (int i = 0; i < 14; ++i) {
        EXPECT_TRUE(strip.rect().contains(strip.cellRect(i))) << i;
        for (int k = 0; k < i; ++k) {
            EXPECT_FALSE(strip.cellRect(i).intersects(strip.cellRect(k))) << i << " " << k;
        }
    }
    // Twelve or fewer are shown larger.
    const int small = strip.cellRect(0).width();
    measurements.resize(5);
    strip.setMeasurements(measurements);
    EXPECT_GT(strip.cellRect(0).width(), small);
}

TEST_F(CutoutStripTest, ADecisionKeepsTheChoiceAndThePictures) {
    strip.setMeasurements(measurements);
    ASSERT_TRUE(QTest::qWaitFor([&] { return strip.loaded() == 14; }, 20000));
    strip.setChosen(5);
    measurements[5].state = night::MeasurementState::Dropped;
    strip.setMeasurements(measurements);
    EXPECT_EQ(strip.chosen(), 5);
    EXPECT_EQ(strip.loaded(), 14);
    // Another body begins at its first.
    for (auto& m : measurements) {
        m.id += "b";
    }
    strip.setMeasurements(measurements);
    EXPECT_EQ(strip.chosen(), 0);
    EXPECT_EQ(strip.loaded(), 0);
}

} // namespace
} // namespace pathmark::desk
