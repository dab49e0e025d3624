#include "desk/report/report_model.h"

#include "desk/jobs/job_runner.h"
#include "desk/theme/theme.h"

#include <QAbstractItemModelTester>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

ReportModel::Line line(const std::string& id, std::vector<night::Doubt> doubts = {}) {
    ReportModel::Line made;
    made.line.measurement = id;
    made.line.doubts = std::move(doubts);
    made.line.observation.body = "(5)";
    made.line.observation.time = *parseUtc("2034-03-17T22:00:30.48");
    made.line.observation.sky = skyDegrees(150.0, -10.5);
    made.line.observation.raErrorArcsec = 0.123;
    made.line.observation.decErrorArcsec = 0.456;
    made.line.observation.magnitude = 17.347;
    made.line.observation.magnitudeError = 0.02;
    made.line.observation.band = "G";
    made.measurement.id = id;
    made.measurement.snr = 23.46;
    return made;
}

class ReportModelTest : public testing::Test {
  protected:
    [[nodiscard]] QString text(int row, ReportModel::Column column) const {
        return model.data(model.index(row, column), Qt::DisplayRole).toString();
    }

    JobRunner jobs;
    ReportModel model{jobs};
};

TEST_F(ReportModelTest, ALineSaysWhatIsSent) {
    QAbstractItemModelTester tester(&model, QAbstractItemModelTester::FailureReportingMode::Fatal);
    model.setLines({line("a")});
    EXPECT_EQ(text(0, ReportModel::Body), "(5)");
    EXPECT_EQ(text(0, ReportModel::Time), "2034-03-17\n22:00:30.5");
    // 150 degrees are ten hours.
    EXPECT_TRUE(text(0, ReportModel::Position).contains("10 00 00.000") ||
                text(0, ReportModel::Position).contains("10:00:00.000"))
        << text(0, ReportModel::Position).toStdString();
    EXPECT_TRUE(text(0, ReportModel::Position).contains("0.123″"));
    EXPECT_TRUE(text(0, ReportModel::Position).contains("0.456″"));
    EXPECT_EQ(text(0, ReportModel::Magnitude), "17.35 ± 0.02 G\nS/N 23.5");
    EXPECT_TRUE(text(0, ReportModel::Warnings).isEmpty());
}

TEST_F(ReportModelTest, AStackSaysItsFramesAndALimitlessLineHasADash) {
    auto stacked = line("s");
    stacked.line.observation.stackedFrames = 12;
    stacked.line.observation.magnitude.reset();
    model.setLines({stacked});
    EXPECT_TRUE(text(0, ReportModel::Body).contains("12 frames"))
        << text(0, ReportModel::Body).toStdString();
    EXPECT_TRUE(text(0, ReportModel::Magnitude).startsWith("–"));
}

/// What is wrong is said by shape, words and colour, and counted by lines.
TEST_F(ReportModelTest, WarningsStandInTheirLine) {
    using night::DoubtKind;
    model.setLines({line("a"),
                    line("b",
                         {{DoubtKind::WeakSignal, "S/N below 5", {}, {}},
                          {DoubtKind::NoMagnitude, "No magnitude", {}, {}}}),
                    line("c", {{DoubtKind::OnlyLine, "Alone", {}, {}}}),
                    line("d", {{DoubtKind::OnlyLine, "Alone", "clouds came", {}}})});
    EXPECT_EQ(model.warned(), 2);
    EXPECT_EQ(text(1, ReportModel::Warnings), "△ S/N below 5\n△ No magnitude");
    EXPECT_EQ(model.data(model.index(1, ReportModel::Warnings), Qt::ForegroundRole),
              QVariant(colours().disagrees));
    EXPECT_EQ(model.data(model.index(1, ReportModel::Body), Qt::ForegroundRole),
              QVariant(colours().text));
    EXPECT_EQ(text(3, ReportModel::Warnings), "✓ Alone");
    EXPECT_EQ(model.data(model.index(3, ReportModel::Warnings), Qt::ForegroundRole),
              QVariant(colours().quiet));
    EXPECT_EQ(model.rowOf("b"), 1);
    EXPECT_EQ(model.rowOf("gone"), -1);
    model.setLines({});
    EXPECT_EQ(model.rowOf("b"), -1);
    EXPECT_EQ(model.warned(), 0);
}

/// Those who hear the screen get the same as those who see it.
TEST_F(ReportModelTest, EveryCellCanBeHeard) {
    model.setLines({line("a", {{night::DoubtKind::OnlyLine, "Alone", {}, {}}})});
    for (int column = 0; column < ReportModel::kColumns; ++column) {
        EXPECT_FALSE(
            model.data(model.index(0, column), Qt::AccessibleTextRole).toString().isEmpty())
            << column;
    }
    for (int column = 1; column < ReportModel::kColumns; ++column) {
        EXPECT_FALSE(model.headerData(column, Qt::Horizontal, Qt::DisplayRole).toString().isEmpty())
            << column;
    }
}

} // namespace
} // namespace pathmark::desk
