// A bench card: what to set, in the order a charger asks, with reasons, list to tick and cautions.
// Made from any plan; shown, printed and kept from one place.
#pragma once

#include <QString>
#include <QStringList>
#include <vector>

#include "planning/join.h"
#include "planning/program.h"
#include "planning/queue.h"

namespace nk {

struct BenchCard {
    struct Row {
        QString name, value, reason;
    };
    QString title;
    QString lead;  ///< how long, or the answer, in one sentence
    std::vector<Row> rows;
    QStringList reasons, preflight, cautions;
    bool marked = false;  ///< beyond the usual figure
};

BenchCard benchCard(const ChargePlan& plan, const QString& battery);
BenchCard benchCard(const Program& program, const QString& battery);
BenchCard benchCard(const JoinAnswer& answer);
BenchCard benchCard(const QueuePlan& plan, const QueueWish& wish);
/// For print: A6 or A4 decide only the paper.
QString benchCardHtml(const BenchCard& card, const QString& day);

}  // namespace nk
