#include "desk/benches/gather_bench.h"

#include "desk/benches/quality_plot.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/theme/theme.h"

#include <QContextMenuEvent>
#include <QHelpEvent>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QToolTip>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

double topOf() {
    return scaled(30.0);
}

double rowHeight() {
    return scaled(46.0);
}

} // namespace

GatherBench::GatherBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session) {
    setObjectName("gatherBench");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    plot_ = new QualityPlot;
    leaveOut_ = new QPushButton;
    leaveOut_->setObjectName("leaveOut");
    leaveOut_->setFocusPolicy(Qt::NoFocus);
    strips_ = new GroupStrips;
    auto* scroll = new QScrollArea;
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidget(strips_);
    layout->addWidget(plot_);
    layout->addWidget(leaveOut_);
    layout->addWidget(scroll, 1);
    connect(plot_, &QualityPlot::ruleChanged, this, &GatherBench::showPreview);
    connect(plot_, &Plot::picked, &session_, &NightSession::setFrame);
    connect(strips_, &GroupStrips::frameChosen, &session_, &NightSession::setFrameByPath);
    connect(strips_, &GroupStrips::kindWanted, &session_, &NightSession::setKind);
    showPreview();
}

BenchInfo GatherBench::info() const {
    return {"gather", tr("Gather"), Stage::Gather, {180, 600, 500}};
}

void GatherBench::addCommands(Commands& commands) {
    const auto isSeen = [this] { return isVisible(); };
    commands.add({"gather.quality",
                  tr("Frames"),
                  tr("Next quality in Gather"),
                  {Qt::Key_Q},
                  [this] { nextQuality(); },
                  isSeen});
    commands.add({"gather.leave-out",
                  tr("Frames"),
                  tr("Leave out the frames beyond the line"),
                  {Qt::Key_L},
                  [this] { leaveOut(); },
                  isSeen});
    commands.bind(*leaveOut_, "gather.leave-out");
}

void GatherBench::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    plot_->setNight(night.get());
    strips_->setNight(night.get());
    showPreview();
}

void GatherBench::setFrame(int light) {
    plot_->setChosen(light);
}

void GatherBench::showPreview() {
    const std::size_t count = plot_->fallingOut().size();
    leaveOut_->setEnabled(count > 0);
    leaveOut_->setText(count == 0 ? tr("No frame lies beyond the line")
                                  : tr("Leave %n frame(s) out", nullptr, static_cast<int>(count)));
}

void GatherBench::leaveOut() {
    session_.leaveOut(plot_->fallingOut(), QString::fromStdString(night::words(plot_->rule())));
}

void GatherBench::nextQuality() {
    const auto all = night::allQualities();
    const auto now = std::find(all.begin(), all.end(), plot_->rule().quality);
    plot_->setQuality(now + 1 == all.end() ? all.front() : *(now + 1));
}

GroupStrips::GroupStrips(QWidget* parent) : QWidget(parent) {
    setObjectName("groupStrips");
    setAccessibleName(tr("Groups of frames"));
    setToolTip(tr("A stroke for each frame: click to see it, rest on it to read why it is odd. The "
                  "menu of a group says "
                  "what its frames are."));
}

void GroupStrips::setNight(const NightSnapshot* night) {
    night_ = night;
    grow();
    update();
}

void GroupStrips::grow() {
    const int rows = night_ == nullptr ? 0 : static_cast<int>(night_->groups.size());
    const int odd = night_ == nullptr ? 0 : static_cast<int>(night_->odd.size());
    setMinimumHeight(static_cast<int>(topOf() + rowHeight() * rows) +
                     static_cast<int>(scaled(30 + 34 * std::min(odd, 30))));
}

void GroupStrips::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) {
        grow();
    }
    QWidget::changeEvent(event);
}

QRectF GroupStrips::strokeOf(std::size_t group, std::size_t frame) const {
    const auto& frames = night_->groups[group].frames;
    const double step = std::min(10.0, (width() - 24.0) / static_cast<double>(frames.size()));
    return {10 + step * static_cast<double>(frame),
            topOf() + rowHeight() * static_cast<double>(group) + scaled(20),
            std::max(1.0, step - 3.0),
            12};
}

QString GroupStrips::whyOdd(const std::filesystem::path& path) const {
    for (const auto& odd : night_->odd) {
        if (odd.path == path) {
            return QString::fromStdString(odd.words);
        }
    }
    return {};
}

void GroupStrips::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    if (night_ == nullptr) {
        painter.setPen(c.quiet);
        painter.drawText(rect(), Qt::AlignCenter, tr("No night is open"));
        return;
    }
    painter.setPen(c.quiet);
    painter.drawText(
        QRectF(10, scaled(8), width() - 20, scaled(18)),
        tr("%n frame(s)", nullptr, static_cast<int>(night_->frames.size())) + ", " +
            tr("%n group(s)", nullptr, static_cast<int>(night_->groups.size())) + ", " +
            (night_->odd.empty() ? tr("none odd")
                                 : tr("%n odd", nullptr, static_cast<int>(night_->odd.size()))));
    for (std::size_t g = 0; g < night_->groups.size(); ++g) {
        const auto& group = night_->groups[g];
        const bool light = group.example.kind == frame::FrameKind::Light;
        const double y = topOf() + rowHeight() * static_cast<double>(g);
        painter.setPen(light ? c.text : c.quiet);
        const QString title = painter.fontMetrics().elidedText(
            QString::fromStdString(group.title()), Qt::ElideRight, width() - 60);
        painter.drawText(QRectF(10, y, width() - 60, scaled(18)), title);
        painter.drawText(QRectF(width() - 50, y, 40, scaled(18)),
                         Qt::AlignRight,
                         QString::number(group.frames.size()));
        for (std::size_t i = 0; i < group.frames.size(); ++i) {
            const QRectF stroke = strokeOf(g, i);
            // Lights stand full, calibration frames half as high; an odd one hangs below the line.
            if (!whyOdd(group.frames[i].path).isEmpty()) {
                painter.fillRect(stroke.adjusted(0, 6, 0, 6), c.disagrees);
            } else {
                painter.fillRect(light ? stroke : stroke.adjusted(0, 6, 0, 0),
                                 light ? c.agreed : c.quiet);
            }
        }
    }
    double y = topOf() + rowHeight() * static_cast<double>(night_->groups.size()) + 6;
    for (std::size_t i = 0; i < std::min<std::size_t>(30, night_->odd.size()); ++i) {
        const auto& odd = night_->odd[i];
        painter.setPen(c.disagrees);
        painter.drawText(QRectF(10, y, width() - 20, scaled(16)),
                         painter.fontMetrics().elidedText(
                             "△ " + QString::fromStdString(odd.path.filename().string()),
                             Qt::ElideMiddle,
                             width() - 20));
        painter.setPen(c.text);
        painter.drawText(QRectF(24, y + scaled(15), width() - 34, scaled(16)),
                         painter.fontMetrics().elidedText(
                             QString::fromStdString(odd.words), Qt::ElideRight, width() - 34));
        y += scaled(34.0);
    }
}

std::optional<std::pair<std::size_t, std::size_t>>
GroupStrips::frameAt(const QPointF& point) const {
    if (night_ == nullptr) {
        return std::nullopt;
    }
    for (std::size_t g = 0; g < night_->groups.size(); ++g) {
        for (std::size_t i = 0; i < night_->groups[g].frames.size(); ++i) {
            if (strokeOf(g, i).adjusted(-2, -2, 2, 8).contains(point)) {
                return std::pair{g, i};
            }
        }
    }
    return std::nullopt;
}

void GroupStrips::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) {
        return;
    }
    if (const auto found = frameAt(event->position())) {
        emit frameChosen(QString::fromStdString(
            night_->groups[found->first].frames[found->second].path.string()));
    }
}

void GroupStrips::contextMenuEvent(QContextMenuEvent* event) {
    if (night_ == nullptr) {
        return;
    }
    const auto row =
        static_cast<std::size_t>(std::max(0.0, (event->pos().y() - topOf()) / rowHeight()));
    if (row >= night_->groups.size()) {
        return;
    }
    QMenu menu;
    for (const auto kind : {frame::FrameKind::Bias,
                            frame::FrameKind::Dark,
                            frame::FrameKind::Flat,
                            frame::FrameKind::FlatDark,
                            frame::FrameKind::Light}) {
        menu.addAction(tr("These are %1 frames").arg(frame::name(kind)), this, [this, row, kind] {
            emit kindWanted(row, kind);
        });
    }
    menu.exec(event->globalPos());
}

bool GroupStrips::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && night_ != nullptr) {
        const auto* help = static_cast<QHelpEvent*>(event);
        if (const auto found = frameAt(help->pos())) {
            const auto& info = night_->groups[found->first].frames[found->second];
            QString words = QString::fromStdString(info.path.filename().string()) + "\n" +
                            QString::fromStdString(info.timeReason);
            if (const QString odd = whyOdd(info.path); !odd.isEmpty()) {
                words += "\n△ " + odd;
            }
            QToolTip::showText(help->globalPos(), words, this);
            return true;
        }
    }
    return QWidget::event(event);
}

} // namespace pathmark::desk
