#include "app/bench/ask_list.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>
#include <algorithm>

#include "app/bench/bench_channel.h"
#include "app/theme/let_go.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"

namespace nk {

std::vector<Ask> asksOf(const std::vector<BenchChannel*>& channels) {
    std::vector<Ask> out;
    for (BenchChannel* c : channels) {
        if (c->over()) continue;
        for (const StandingAlarm& a : c->alarms())
            if (a.sounds(c->live().now_s()))
                out.push_back({QString("%1  %2: %3")
                                   .arg(QString::fromStdString(clockText(a.since_s)), c->title(),
                                        QString::fromStdString(a.words)),
                               c, a.code, a.hazard});
        if (!c->trouble().isEmpty())
            out.push_back({c->title() + ": " + c->trouble(), c, {}, false});
    }
    std::ranges::stable_sort(out, [](const Ask& a, const Ask& b) { return a.hazard > b.hazard; });
    return out;
}

AskList::AskList(QWidget* parent) : QFrame(parent) {
    setObjectName("benchAsks");
    setProperty("role", "card");
    setAccessibleName(tr("What asks for a hand"));
    box_ = new QVBoxLayout(this);
    box_->setContentsMargins(12, 8, 12, 8);
    box_->setSpacing(3);
    hide();
}

void AskList::setAsks(const std::vector<Ask>& asks, bool large) {
    QString now = large ? "large\n" : "";
    for (const Ask& a : asks) now += a.words + "\n";
    if (now == shown_) return;
    shown_ = now;
    letGoOf(box_);
    constexpr std::size_t kMost = 6;
    for (std::size_t k = 0; k < std::min(kMost, asks.size()); ++k) {
        const Ask& a = asks[k];
        auto* row = new QWidget(this);
        auto* line = new QHBoxLayout(row);
        line->setContentsMargins(0, 0, 0, 0);
        QLabel* label = wordLabel(row, "ask", a.hazard ? "hazard" : "");
        label->setText((a.hazard ? tr("Hazard") + "  " : QString()) + a.words);
        QFont f = label->font();
        f.setPixelSize(large ? 28 : 15);
        f.setWeight(QFont::DemiBold);
        label->setFont(f);
        line->addWidget(label, 1);
        const auto button = [&](const QString& words, const char* name, auto act) {
            auto* b = new QPushButton(words, row);
            b->setObjectName(name);
            b->setAccessibleName(words + ": " + a.words);
            connect(b, &QPushButton::clicked, this, [this, act] {
                act();
                Q_EMIT changed();
            });
            line->addWidget(b, 0, Qt::AlignTop);
        };
        if (a.channel == nullptr && a.seen) button(tr("Seen"), "askSeen", a.seen);
        if (a.channel != nullptr && !a.code.empty()) {
            button(tr("Seen"), "askSeen", [c = a.channel, code = a.code] { c->acknowledge(code); });
            constexpr double kQuiet_min = 10;
            button(a.hazard ? tr("Quiet for 2 min") : tr("Quiet for 10 min"), "askLater",
                   [c = a.channel, code = a.code] { c->live().snooze(code, kQuiet_min); });
        }
        box_->addWidget(row);
    }
    setVisible(!asks.empty());
    setAccessibleDescription(now);
}

}  // namespace nk
