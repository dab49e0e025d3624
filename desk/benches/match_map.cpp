#include "desk/benches/match_map.h"

#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace pathmark::desk {
namespace {

using calibrate::Role;

constexpr double kGap = 8.0;

double nodeHeight() {
    return scaled(66.0);
}

constexpr std::array kGrips{Role::Dark, Role::Flat};

QString text(const std::string& words) {
    return QString::fromStdString(words);
}

/// The role that feeds a grip: a dark of the exposure, or what stands in for it.
const calibrate::MasterChoice* feedOf(const calibrate::MasterMatch& match, Role grip) {
    if (grip == Role::Flat) {
        return match.choice(Role::Flat);
    }
    for (const Role role : {Role::Dark, Role::ScaledDark, Role::Bias}) {
        if (const auto* feed = match.choice(role)) {
            return feed;
        }
    }
    return nullptr;
}

QString firstLine(const calibrate::FrameGroup& group) {
    const auto& info = group.example;
    QString line = QString("%1 × %2%3")
                       .arg(group.frames.size())
                       .arg(group.isReady() ? "ready " : "", frame::name(info.kind));
    if (info.kind != frame::FrameKind::Bias && info.exposureKnown) {
        line += QString(" %1 s").arg(info.exposureSeconds, 0, 'g', 4);
    }
    if (!info.filter.empty()) {
        line += " " + text(info.filter);
    }
    return line;
}

QString secondLine(const calibrate::FrameGroup& group) {
    const auto& info = group.example;
    QStringList parts;
    if (info.temperatureCelsius) {
        parts << QString("%1 °C").arg(*info.temperatureCelsius, 0, 'f', 0);
    }
    if (info.gainSetting) {
        parts << Words::tr("gain %1").arg(*info.gainSetting);
    }
    if (info.binningX != 1 || info.binningY != 1) {
        parts << Words::tr("binned %1 × %2").arg(info.binningX).arg(info.binningY);
    }
    if (!info.camera.empty()) {
        parts << text(info.camera);
    }
    return parts.join(", ");
}

QPainterPath lineBetween(const QPointF& from, const QPointF& to) {
    const double reach = std::max(24.0, 0.5 * std::abs(to.x() - from.x()));
    QPainterPath path(from);
    path.cubicTo(from + QPointF(reach, 0), to - QPointF(reach, 0), to);
    return path;
}

} // namespace

MatchMap::MatchMap(QWidget* parent) : QWidget(parent) {
    setObjectName("matchMap");
    setAccessibleName(tr("Match map"));
    setToolTip(tr("Click a series to see why. Drag from its dark or flat to another master to "
                  "overrule; to empty ground for "
                  "none; double-click to take that back."));
}

void MatchMap::setNight(const NightSnapshot* night) {
    const bool isSame = night_ != nullptr && night != nullptr &&
                        night_->matches.isSameAs(night->matches) &&
                        night_->groups.isSameAs(night->groups);
    night_ = night;
    if (isSame) {
        return;
    }
    if (night_ == nullptr || night_->matches.empty()) {
        inHand_.reset();
    } else if (!inHand_ || !night_->matches->contains(*inHand_)) {
        inHand_ = night_->matches->begin()->first; // until a frame says which
    }
    layOut();
    update();
}

void MatchMap::takeInHand(std::size_t series) {
    if (night_ != nullptr && night_->matches->contains(series) && inHand_ != series) {
        inHand_ = series;
        layOut();
        update();
    }
}

void MatchMap::layOut() {
    nodes_.clear();
    if (night_ == nullptr) {
        return;
    }
    std::set<std::size_t> used;
    for (const auto& entry : night_->matches) {
        for (const auto& feed : entry.second.choices) {
            used.insert(feed.group);
        }
    }
    const double seriesWidth = 0.40 * width();
    const double masterWidth = 0.40 * width();
    double left = scaled(30.0);
    double right = scaled(30.0);
    for (const auto& entry : night_->matches) {
        nodes_.push_back({entry.first, true, true, QRectF(kGap, left, seriesWidth, nodeHeight())});
        left += nodeHeight() + kGap;
    }
    // What feeds the first series stands first, so that lines cross little; what nothing uses stands last.
    std::vector<std::size_t> order;
    const auto add = [&](std::size_t group) {
        const bool light = night_->groups[group].example.kind == frame::FrameKind::Light;
        if (!light && std::find(order.begin(), order.end(), group) == order.end()) {
            order.push_back(group);
        }
    };
    for (const auto& entry : night_->matches) {
        for (const auto& feed : entry.second.choices) {
            add(feed.group);
        }
    }
    for (std::size_t i = 0; i < night_->groups.size(); ++i) {
        add(i);
    }
    for (const std::size_t group : order) {
        nodes_.push_back({group,
                          false,
                          used.contains(group),
                          QRectF(width() - masterWidth - kGap, right, masterWidth, nodeHeight())});
        right += nodeHeight() + kGap;
    }
    notesTop_ = std::max(left, right) + 6.0;
    double notes = 60.0;
    if (inHand_) {
        const auto& match = night_->matches->at(*inHand_);
        notes += 54.0 * static_cast<double>(match.choices.size() + match.warnings.size());
    }
    setMinimumHeight(static_cast<int>(notesTop_ + scaled(notes)));
}

void MatchMap::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) {
        layOut();
    }
    QWidget::changeEvent(event);
}

void MatchMap::resizeEvent(QResizeEvent*) {
    layOut();
}

QRectF MatchMap::nodeRect(std::size_t group) const {
    const auto found = std::find_if(
        nodes_.begin(), nodes_.end(), [&](const Node& node) { return node.group == group; });
    return found == nodes_.end() ? QRectF() : found->box;
}

QPointF MatchMap::socket(std::size_t series, Role role) const {
    const QRectF box = nodeRect(series);
    return {box.right(), box.top() + (role == Role::Flat ? 0.74 : 0.34) * box.height()};
}

const MatchMap::Node* MatchMap::nodeAt(const QPointF& point, bool series) const {
    const auto found = std::find_if(nodes_.begin(), nodes_.end(), [&](const Node& node) {
        return node.isSeries == series && node.box.contains(point);
    });
    return found == nodes_.end() ? nullptr : &*found;
}

std::optional<MatchMap::Grip> MatchMap::gripAt(const QPointF& point) const {
    for (const Node& node : nodes_) {
        if (!node.isSeries) {
            continue;
        }
        for (const Role role : kGrips) {
            if (QLineF(socket(node.group, role), point).length() < 12.0) {
                return Grip{node.group, role};
            }
        }
    }
    return std::nullopt;
}

/// Why a group was taken or passed over by the series in hand.
QString MatchMap::verdictOn(std::size_t group) const {
    if (!inHand_) {
        return {};
    }
    const auto& match = night_->matches->at(*inHand_);
    QStringList roles;
    for (const auto& feed : match.choices) {
        if (feed.group == group) {
            roles << (feed.role == Role::FlatBias ? tr("bias of the flats")
                                                  : QString(calibrate::name(feed.role))) +
                         (feed.byHand ? tr(", by hand") : QString());
        }
    }
    if (!roles.isEmpty()) {
        return "✓ " + roles.join("; ");
    }
    for (const auto& candidate : match.passedOver) {
        if (candidate.group == group) {
            const auto* objection = candidate.objection();
            return "– " + (objection != nullptr                ? text(objection->words)
                           : candidate.costliestTerm().empty() ? tr("as good; another came first")
                                                               : text(candidate.costliestTerm()));
        }
    }
    return {};
}

void MatchMap::drawNode(QPainter& painter, const Node& node) const {
    const Colours& c = colours();
    const auto& group = night_->groups[node.group];
    const bool inHand = node.isSeries && inHand_ == node.group;
    const QString verdict = node.isSeries ? QString() : verdictOn(node.group);
    const bool taken = verdict.startsWith("✓");
    QColor edge = c.line;
    if (node.isSeries) {
        edge = !night_->matches->at(node.group).warnings.empty() ? c.disagrees : c.agreed;
    } else if (taken) {
        edge = c.agreed;
    }
    painter.setPen(
        QPen(edge, inHand ? 2.4 : 1.2, node.isSeries || node.used ? Qt::SolidLine : Qt::DashLine));
    painter.setBrush(inHand ? c.panel.lighter(125) : c.panel);
    painter.drawRoundedRect(node.box, 3, 3);
    painter.setBrush(Qt::NoBrush);
    const QRectF inside = node.box.adjusted(7, 3, -7, -3);
    const auto line = [&](int row, const QString& words, const QColor& colour) {
        painter.setPen(colour);
        painter.drawText(
            QRectF(inside.left(), inside.top() + scaled(15.0) * row, inside.width(), scaled(15)),
            Qt::AlignLeft | Qt::AlignVCenter,
            painter.fontMetrics().elidedText(
                words, Qt::ElideRight, static_cast<int>(inside.width())));
    };
    line(0, firstLine(group), node.isSeries || node.used ? c.text : c.quiet);
    line(1, secondLine(group), c.quiet);
    if (node.isSeries) {
        const QString object = text(group.example.object);
        const std::size_t warnings = night_->matches->at(node.group).warnings.size();
        line(2, object, c.quiet);
        line(3,
             warnings == 0 ? tr("complete")
                           : tr("△ %n to review", nullptr, static_cast<int>(warnings)),
             warnings == 0 ? c.agreed : c.disagrees);
    } else {
        // A reason may need two lines.
        painter.setPen(taken ? c.agreed : c.quiet);
        painter.drawText(inside.adjusted(0, scaled(30), 0, 3),
                         Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
                         verdict.isEmpty() && !node.used ? tr("nothing needs it; not built")
                                                         : verdict);
    }
}

void MatchMap::drawLines(QPainter& painter) const {
    const Colours& c = colours();
    for (const auto& [series, match] : night_->matches) {
        const bool strong = inHand_ == series;
        for (const Role grip : kGrips) {
            const auto* feed = feedOf(match, grip);
            if (feed == nullptr) {
                continue;
            }
            const QRectF master = nodeRect(feed->group);
            QColor colour = c.agreed;
            colour.setAlpha(strong ? 255 : 90);
            painter.setPen(
                QPen(colour, strong ? 2.0 : 1.2, feed->byHand ? Qt::DashDotLine : Qt::SolidLine));
            painter.setBrush(Qt::NoBrush);
            painter.drawPath(
                lineBetween(socket(series, grip), {master.left(), master.center().y()}));
        }
        // What the flat itself was freed of: a bracket on the masters' own side.
        const auto* flat = match.choice(Role::Flat);
        for (const Role role : {Role::FlatDark, Role::FlatBias}) {
            const auto* under = match.choice(role);
            if (flat == nullptr || under == nullptr || !strong) {
                continue;
            }
            const double x = nodeRect(flat->group).right();
            const double from = nodeRect(under->group).center().y();
            const double to = nodeRect(flat->group).center().y();
            painter.setPen(QPen(c.agreed, 1.2));
            painter.drawPolyline(QPolygonF({{x, from}, {x + 5, from}, {x + 5, to}, {x, to}}));
        }
    }
}

void MatchMap::drawSocket(QPainter& painter, std::size_t series, Role role) const {
    const Colours& c = colours();
    const auto* feed = feedOf(night_->matches->at(series), role);
    const QPointF at = socket(series, role);
    const QColor colour = feed != nullptr ? c.agreed : c.disagrees;
    painter.setPen(QPen(colour, 1.6));
    painter.setBrush(feed != nullptr ? colour : c.ground);
    painter.drawRect(QRectF(at.x() - 4, at.y() - 4, 8, 8));
    QString label = role == Role::Flat ? tr("flat") : tr("dark");
    if (feed == nullptr) {
        label = role == Role::Flat ? tr("no flat") : tr("no dark");
    } else if (feed->role == Role::ScaledDark) {
        label = tr("dark, scaled");
    } else if (feed->role == Role::Bias) {
        label = tr("bias only");
    }
    painter.setPen(feed != nullptr && feed->role != Role::Bias ? c.quiet : c.disagrees);
    const QRectF place(at.x() + 7,
                       at.y() - scaled(17),
                       painter.fontMetrics().horizontalAdvance(label) + 4,
                       scaled(14));
    painter.fillRect(place, c.ground);
    painter.drawText(place, Qt::AlignLeft | Qt::AlignVCenter, label);
}

void MatchMap::drawNotes(QPainter& painter) const {
    if (!inHand_) {
        return;
    }
    const Colours& c = colours();
    const auto& match = night_->matches->at(*inHand_);
    double y = notesTop_;
    const auto note = [&](const QString& words, const QColor& colour) {
        painter.setPen(colour);
        QRectF used;
        painter.drawText(QRectF(12, y, width() - 24, scaled(400)), Qt::TextWordWrap, words, &used);
        y = used.bottom() + 5;
    };
    for (const auto& warning : match.warnings) {
        note("△ " + text(warning), c.disagrees);
    }
    for (const auto& feed : match.choices) {
        note(text(feed.reason), c.text);
    }
}

void MatchMap::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    if (night_ == nullptr || night_->matches.empty()) {
        painter.setPen(c.quiet);
        painter.drawText(
            rect().adjusted(20, 0, -20, 0),
            Qt::AlignCenter | Qt::TextWordWrap,
            tr("No series of lights to calibrate. Open a folder with lights (Ctrl+O)."));
        return;
    }
    painter.setPen(c.quiet);
    painter.drawText(QRectF(kGap, scaled(8), width(), scaled(16)), "Series");
    painter.drawText(QRectF(width() - 0.40 * width() - kGap, scaled(8), 0.4 * width(), scaled(16)),
                     tr("Calibration frames"));
    drawLines(painter);
    for (const Node& node : nodes_) {
        drawNode(painter, node);
        if (node.isSeries) {
            for (const Role role : kGrips) {
                drawSocket(painter, node.group, role);
            }
        }
    }
    if (dragged_) {
        painter.setPen(QPen(c.text, 1.6, Qt::DashLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(lineBetween(socket(dragged_->series, dragged_->role), dragPoint_));
    }
    drawNotes(painter);
}

void MatchMap::mousePressEvent(QMouseEvent* event) {
    if (night_ == nullptr) {
        return;
    }
    dragPoint_ = event->position();
    dragged_ = gripAt(event->position());
    if (dragged_) {
        takeInHand(dragged_->series);
    } else if (const Node* node = nodeAt(event->position(), true)) {
        takeInHand(node->group);
        emit chosen(node->group);
    }
}

void MatchMap::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_) {
        dragPoint_ = event->position();
        update();
    }
}

void MatchMap::mouseReleaseEvent(QMouseEvent* event) {
    if (!dragged_) {
        return;
    }
    const Grip grip = *dragged_;
    dragged_.reset();
    update();
    if (QLineF(socket(grip.series, grip.role), event->position()).length() < 14.0) {
        return; // a click, not a drag
    }
    const Node* node = nodeAt(event->position(), false);
    emit dragged(
        grip.series, grip.role, node == nullptr ? std::nullopt : std::optional(node->group));
}

void MatchMap::mouseDoubleClickEvent(QMouseEvent* event) {
    if (night_ == nullptr) {
        return;
    }
    if (const auto grip = gripAt(event->position())) {
        emit takenBack(grip->series, grip->role);
    }
}

} // namespace pathmark::desk
