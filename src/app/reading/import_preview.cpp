#include "app/reading/import_preview.h"

#include <QComboBox>
#include <QCryptographicHash>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QJsonDocument>
#include <QJsonObject>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <cmath>

#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "formats/dialect.h"
#include "formats/table_shape.h"
#include "quantity/format.h"
#include "recording/pyramid.h"

namespace nk {

/// Voltage and current of the read log, small.
class Thumbnail : public QWidget {
  public:
    explicit Thumbnail(QWidget* parent) : QWidget(parent) {
        setFixedHeight(84);
        setAccessibleName(QObject::tr("Small curve of the log as it was read"));
    }
    void setRecording(RecordingPtr recording) {
        recording_ = std::move(recording);
        if (recording_) {
            voltage_ = Pyramid(recording_->voltage_V());
            current_ = Pyramid(recording_->current_A());
        }
        update();
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        const Theme& t = currentTheme();
        QPainter p(this);
        p.fillRect(rect(), t.plot);
        p.setPen(t.line);
        p.drawRect(rect().adjusted(0, 0, -1, -1));
        if (!recording_ || recording_->size() < 2) {
            p.setPen(t.muted);
            p.drawText(rect(), Qt::AlignCenter, tr("No curve yet: name the columns above."));
            return;
        }
        draw(p, voltage_, t.voltage, tr("Voltage"), "V", QRect(8, 6, width() - 16, 38));
        draw(p, current_, t.current, tr("Current"), "A", QRect(8, 50, width() - 16, 30));
    }

  private:
    /// A curve with its name and range beside it.
    void draw(QPainter& p, const Pyramid& pyramid, const QColor& colour, const QString& name,
              const std::string& unit, const QRect& area) const {
        const MinMax all = pyramid.range(0, recording_->size());
        if (!std::isfinite(all.low)) return;
        QFont small = font();
        small.setPixelSize(11);
        p.setFont(small);
        p.setPen(colour);
        const QString low = QString::fromStdString(shortValue(all.low, unit));
        const QString high = QString::fromStdString(shortValue(all.high, unit));
        p.drawText(area, Qt::AlignLeft | Qt::AlignVCenter, name + "\n" + low + " … " + high);
        const QRect r = area.adjusted(130, 0, 0, 0);
        const double span = std::max(all.high - all.low, 1e-9);
        const auto y = [&](double v) { return r.bottom() - (v - all.low) / span * r.height(); };
        p.setPen(QPen(colour, 1));
        const auto t = recording_->time_s();
        const double length = std::max(t.back(), 1e-9);
        QPointF last;
        for (int x = 0; x < r.width(); ++x) {
            const std::size_t a = recording_->lowerBound(length * x / r.width());
            const std::size_t b =
                std::max(a + 1, recording_->lowerBound(length * (x + 1) / r.width()));
            const MinMax m = pyramid.range(std::min(a, t.size() - 1), std::min(b, t.size()));
            if (!std::isfinite(m.low)) continue;
            const QPointF here(r.left() + x, y(0.5 * (m.low + m.high)));
            if (!last.isNull()) p.drawLine(last, here);
            p.drawLine(QPointF(here.x(), y(m.low)), QPointF(here.x(), y(m.high)));
            last = here;
        }
    }

    RecordingPtr recording_;
    Pyramid voltage_, current_;
};

namespace {

const std::pair<Role, const char*> kRoles[] = {
    {Role::Ignore, QT_TRANSLATE_NOOP("ImportPreview", "not used")},
    {Role::Time, QT_TRANSLATE_NOOP("ImportPreview", "time")},
    {Role::Date, QT_TRANSLATE_NOOP("ImportPreview", "date")},
    {Role::Voltage, QT_TRANSLATE_NOOP("ImportPreview", "voltage")},
    {Role::Current, QT_TRANSLATE_NOOP("ImportPreview", "current")},
    {Role::ChargeCurrent, QT_TRANSLATE_NOOP("ImportPreview", "charge current")},
    {Role::DischargeCurrent, QT_TRANSLATE_NOOP("ImportPreview", "discharge current")},
    {Role::Power, QT_TRANSLATE_NOOP("ImportPreview", "power")},
    {Role::Temperature, QT_TRANSLATE_NOOP("ImportPreview", "temperature")},
    {Role::Cell, QT_TRANSLATE_NOOP("ImportPreview", "cell voltage")},
    {Role::CounterAh, QT_TRANSLATE_NOOP("ImportPreview", "logger's Ah")},
    {Role::CounterWh, QT_TRANSLATE_NOOP("ImportPreview", "logger's Wh")},
    {Role::Mode, QT_TRANSLATE_NOOP("ImportPreview", "mode words")}};

QStringList unitsOf(Role role) {
    switch (role) {
        case Role::Time:
            return {"s", "ms", "min", "h"};
        case Role::Voltage:
        case Role::Cell:
            return {"V", "mV"};
        case Role::Current:
        case Role::ChargeCurrent:
        case Role::DischargeCurrent:
            return {"A", "mA"};
        case Role::Power:
            return {"W", "mW"};
        case Role::Temperature:
            return {"°C", "°F", "K"};
        case Role::CounterAh:
            return {"Ah", "mAh"};
        case Role::CounterWh:
            return {"Wh", "mWh"};
        default:
            return {};
    }
}

/// The entry of `units` that means the same as `unit`; −1 when none does.
int indexOfUnit(const QStringList& units, const Unit& unit) {
    for (int k = 0; k < units.size(); ++k) {
        const auto u = parseUnit(units[k].toStdString());
        if (u && u->factor == unit.factor && u->offset == unit.offset) return k;
    }
    return -1;
}

}  // namespace

ImportPreview::ImportPreview(QWidget* parent) : QWidget(parent) {
    setObjectName("importPreview");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    summary_ = wordLabel(this, "readingSummary", "muted");
    box->addWidget(summary_);
    table_ = new QTableWidget(this);
    table_->setTabKeyNavigation(false);  // Tab leads on to the next part
    table_->setObjectName("previewTable");
    table_->setAccessibleName(tr("First rows of the log; what each column holds can be changed"));
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->verticalHeader()->hide();
    table_->setFixedHeight(196);
    box->addWidget(table_);
    auto* row = new QHBoxLayout;
    row->setSpacing(8);
    QLabel* lastWords = nullptr;
    const auto choice = [&](const QString& words, const char* name,
                            const std::vector<std::pair<QString, int>>& entries) {
        auto* label = new QLabel(words, this);
        auto* combo = new QComboBox(this);
        combo->setObjectName(name);
        combo->setAccessibleName(words);
        for (const auto& [text, value] : entries) combo->addItem(text, value);
        label->setBuddy(combo);
        row->addWidget(label);
        row->addWidget(combo);
        lastWords = label;
        connect(combo, &QComboBox::activated, this, &ImportPreview::readChoices);
        return combo;
    };
    delimiter_ = choice(tr("Split at"), "delimiter",
                        {{tr("guess"), 0},
                         {tr("comma"), ','},
                         {tr("semicolon"), ';'},
                         {tr("tab"), '\t'},
                         {tr("space"), ' '},
                         {tr("bar"), '|'}});
    decimal_ = choice(tr("Decimal"), "decimal",
                      {{tr("guess"), 0}, {tr("point"), '.'}, {tr("comma"), ','}});
    sign_ = choice(tr("Plus means"), "sign",
                   {{tr("guess"), 0}, {tr("charges"), 1}, {tr("discharges"), 2}});
    auto* label = new QLabel(tr("Seconds a row"), this);
    interval_ = new QLineEdit(this);
    interval_->setObjectName("interval");
    interval_->setMinimumWidth(84);
    interval_->setMaximumWidth(96);
    interval_->setPlaceholderText(tr("by time"));
    interval_->setAccessibleName(tr("Seconds between rows, for a log without a time column"));
    label->setBuddy(interval_);
    row->addWidget(label);
    row->addWidget(interval_);
    row->addStretch(1);
    connect(interval_, &QLineEdit::editingFinished, this, &ImportPreview::readChoices);
    box->addLayout(row);
    more_ = new QWidget(this);
    row = new QHBoxLayout(more_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(8);
    order_ = choice(tr("Dates"), "dateOrder",
                    {{tr("guess"), -1},
                     {tr("day first"), static_cast<int>(DateOrder::DayMonthYear)},
                     {tr("month first"), static_cast<int>(DateOrder::MonthDayYear)}});
    orderWords_ = lastWords;
    auto* loadWords = new QLabel(tr("Load"), this);
    loadWords_ = loadWords;
    load_ = new QLineEdit(this);
    load_->setObjectName("load");
    load_->setMinimumWidth(150);
    load_->setMaximumWidth(160);
    load_->setPlaceholderText(tr("20 W, 5 A, 8 ohm"));
    load_->setAccessibleName(tr("The load of a log that has no current"));
    load_->setToolTip(
        tr("For a log of the voltage alone: current and charge follow from the load, and are "
           "marked so."));
    loadWords->setBuddy(load_);
    row->addWidget(loadWords);
    row->addWidget(load_);
    row->addStretch(1);
    connect(load_, &QLineEdit::editingFinished, this, &ImportPreview::readChoices);
    box->addWidget(more_);
    curve_ = new Thumbnail(this);
    box->addWidget(curve_);
    question_ = new QWidget(this);
    question_->setObjectName("readingQuestion");
    auto* sides = new QHBoxLayout(question_);
    sides->setContentsMargins(0, 0, 0, 0);
    sides->setSpacing(10);
    for (int k = 0; k < 2; ++k) {
        auto* side = new QVBoxLayout;
        auto* words = wordLabel(question_);
        words->setObjectName(QString("wayWords%1").arg(k));
        auto* curve = new Thumbnail(question_);
        auto* take = new QPushButton(tr("Read it so"), question_);
        take->setObjectName(QString("way%1").arg(k));
        connect(take, &QPushButton::clicked, this, [this, k] {
            if (k >= static_cast<int>(wayOptions_.size())) return;
            options_ = wayOptions_[static_cast<std::size_t>(k)];
            Q_EMIT optionsChanged();
        });
        side->addWidget(words);
        side->addWidget(curve);
        side->addWidget(take);
        sides->addLayout(side, 1);
        wayWords_.push_back(words);
        wayCurves_.push_back(curve);
    }
    question_->hide();
    box->addWidget(question_);
}

void ImportPreview::show(const std::string& text, const ReadOptions& options,
                         const Imported* imported, const QString& problem, const Ways& ways) {
    filling_ = true;
    options_ = options;
    ReadOptions lenient = options;
    lenient.lenient = true;
    const auto guessed = guessDialect(text, "", lenient);
    dialect_ = imported != nullptr ? imported->dialect : guessed ? *guessed : Dialect();
    const auto select = [](QComboBox* combo, int value) {
        combo->setCurrentIndex(std::max(0, combo->findData(value)));
    };
    select(delimiter_, options.delimiter);
    select(decimal_, options.decimal);
    select(sign_, static_cast<int>(options.sign));
    select(order_, options.dateOrder ? static_cast<int>(*options.dateOrder) : -1);
    if (!load_->hasFocus()) {
        const KnownLoad& load = options.load;
        load_->setText(load.kind == KnownLoad::None
                           ? QString()
                           : QString("%1 %2")
                                 .arg(load.value)
                                 .arg(load.kind == KnownLoad::Power     ? "W"
                                      : load.kind == KnownLoad::Current ? "A"
                                                                        : "ohm"));
    }
    wayOptions_.clear();
    for (std::size_t k = 0; k < std::min(ways.size(), wayWords_.size()); ++k) {
        wayOptions_.push_back(ways[k].first.options);
        wayWords_[k]->setText(QString::fromStdString(ways[k].first.words));
        wayCurves_[k]->setRecording(ways[k].second);
    }
    // Dates and a load are asked about only where they matter.
    const bool dated =
        dialect_.time.shape == TimeShape::DateTime || dialect_.column(Role::Date) != nullptr;
    const bool loaded =
        options.load.kind != KnownLoad::None || (dialect_.column(Role::Current) == nullptr &&
                                                 dialect_.column(Role::ChargeCurrent) == nullptr &&
                                                 dialect_.column(Role::Power) == nullptr);
    for (QWidget* w : {static_cast<QWidget*>(order_), orderWords_}) w->setVisible(dated);
    for (QWidget* w : {static_cast<QWidget*>(load_), loadWords_}) w->setVisible(loaded);
    more_->setVisible(dated || loaded);
    // The question needs the room of two rows.
    table_->setFixedHeight(ways.size() == 2 ? 154 : 196);
    question_->setVisible(ways.size() == 2);
    curve_->setVisible(ways.size() != 2);
    if (!interval_->hasFocus())
        interval_->setText(options.interval_s > 0 ? QString::number(options.interval_s)
                                                  : QString());
    if (imported != nullptr) {
        QString words =
            tr("%1 rows, %2, split at %3, decimal %4; current above zero %5.")
                .arg(imported->rowsRead)
                .arg(QString::fromStdString(dialect_.encoding))
                .arg(dialect_.delimiter == '\t'  ? tr("tabs")
                     : dialect_.delimiter == ' ' ? tr("spaces")
                                                 : QString("“%1”").arg(dialect_.delimiter))
                .arg(dialect_.decimal == ',' ? tr("comma") : tr("point"))
                .arg(dialect_.unsignedCurrent ? tr("has no sign; told apart by words or voltage")
                     : dialect_.sign == SignConvention::DischargePositive
                         ? tr("discharges in the file")
                         : tr("charges"));
        for (const std::string& g : dialect_.guesses) words += "\n· " + QString::fromStdString(g);
        summary_->setText(words);
    } else {
        summary_->setText(problem);
    }
    fillTable(text);
    curve_->setRecording(imported != nullptr ? imported->recording : nullptr);
    filling_ = false;
}

void ImportPreview::fillTable(const std::string& text) {
    const auto lines = firstLines(text, 400);
    const int columns = static_cast<int>(std::min<std::size_t>(dialect_.columns.size(), 60));
    constexpr int kRows = 5;
    table_->clear();
    table_->setColumnCount(columns);
    table_->setRowCount(2 + kRows);
    QStringList titles;
    for (int c = 0; c < columns; ++c)
        titles << QString::fromStdString(dialect_.columns[static_cast<std::size_t>(c)].title);
    table_->setHorizontalHeaderLabels(titles);
    for (int c = 0; c < columns; ++c) {
        const Column& column = dialect_.columns[static_cast<std::size_t>(c)];
        auto* role = new QComboBox(table_);
        role->setObjectName(QString("role-%1").arg(c + 1));
        role->setAccessibleName(tr("What column %1 holds").arg(titles[c]));
        for (const auto& [value, words] : kRoles) role->addItem(tr(words), static_cast<int>(value));
        role->setCurrentIndex(std::max(0, role->findData(static_cast<int>(column.role))));
        table_->setCellWidget(0, c, role);
        connect(role, &QComboBox::activated, this, &ImportPreview::readChoices);
        const QStringList units = unitsOf(column.role);
        if (!units.isEmpty() &&
            (column.role != Role::Time || dialect_.time.shape == TimeShape::Number)) {
            auto* unit = new QComboBox(table_);
            unit->setObjectName(QString("unit-%1").arg(c + 1));
            unit->setAccessibleName(tr("Unit of %1").arg(titles[c]));
            unit->addItems(units);
            if (column.unit) unit->setCurrentIndex(std::max(0, indexOfUnit(units, *column.unit)));
            table_->setCellWidget(1, c, unit);
            connect(unit, &QComboBox::activated, this, &ImportPreview::readChoices);
        }
        table_->setColumnWidth(c, 112);
    }
    std::vector<std::string_view> cells;
    for (int r = 0; r < kRows; ++r) {
        const std::size_t at = dialect_.firstDataLine - 1 + static_cast<std::size_t>(r);
        if (at >= lines.size()) break;
        splitCells(lines[at], dialect_.delimiter, cells,
                   dialect_.evenSpaces ? dialect_.columns.size() : 0);
        for (int c = 0; c < columns && c < static_cast<int>(cells.size()); ++c)
            table_->setItem(r + 2, c,
                            new QTableWidgetItem(QString::fromUtf8(
                                cells[static_cast<std::size_t>(c)].data(),
                                static_cast<qsizetype>(std::min<std::size_t>(
                                    cells[static_cast<std::size_t>(c)].size(), 60)))));
    }
    for (int r = 0; r < table_->rowCount(); ++r) table_->setRowHeight(r, r < 2 ? 27 : 21);
}

void ImportPreview::readChoices() {
    if (filling_) return;
    ReadOptions next = options_;
    next.delimiter = static_cast<char>(delimiter_->currentData().toInt());
    next.decimal = static_cast<char>(decimal_->currentData().toInt());
    next.sign = static_cast<SignConvention>(sign_->currentData().toInt());
    const int order = order_->currentData().toInt();
    next.dateOrder = order < 0 ? std::nullopt : std::optional(static_cast<DateOrder>(order));
    const QString loaded = load_->text().trimmed().replace(',', '.');
    const auto load = parseLoad(loaded.toStdString());
    if (!load && !loaded.isEmpty())
        return summary_->setText(QString::fromStdString(load.error().text()));
    next.load = load.value_or(KnownLoad());
    const QString interval = interval_->text().trimmed().replace(',', '.');
    bool readable = true;
    next.interval_s = interval.isEmpty() ? 0 : interval.toDouble(&readable);
    if (!readable || !std::isfinite(next.interval_s) || next.interval_s < 0)
        return summary_->setText(
            tr("“%1” are no seconds between rows. Accepted: a number over 0, or nothing.")
                .arg(interval));
    const bool otherTable =
        next.delimiter != options_.delimiter || next.decimal != options_.decimal;
    if (otherTable) {
        next.map.clear();
        next.units.clear();
        next.roleUnits.clear();
    } else {
        for (int c = 0; c < table_->columnCount(); ++c) {
            const Column& column = dialect_.columns[static_cast<std::size_t>(c)];
            const auto* role = qobject_cast<QComboBox*>(table_->cellWidget(0, c));
            const auto* unit = qobject_cast<QComboBox*>(table_->cellWidget(1, c));
            const auto wanted = static_cast<Role>(role->currentData().toInt());
            const std::string number = std::to_string(c + 1);
            // What somebody chose counts, also when it had been guessed so.
            if (unit != nullptr && unit == sender() && wanted == column.role) {
                next.units[column.title] = unit->currentText().toStdString();
                next.roleUnits.erase(column.role);
            } else if (wanted != column.role || (role == sender() && wanted != Role::Ignore)) {
                for (auto it = next.map.begin(); it != next.map.end();)
                    it = it->second == number || it->second == column.title ? next.map.erase(it)
                                                                            : std::next(it);
                // A column that is no longer used gives its role to nobody.
                if (wanted == Role::Cell) {
                    std::string cells;
                    for (std::size_t k = 0; k < dialect_.columns.size(); ++k)
                        if (dialect_.columns[k].role == Role::Cell || static_cast<int>(k) == c)
                            cells += (cells.empty() ? "" : "+") + std::to_string(k + 1);
                    next.map[wanted] = cells;
                } else if (wanted != Role::Ignore)
                    next.map[wanted] = number;
                else
                    next.ignored.insert(number);
                if (wanted != Role::Ignore) next.ignored.erase(number);
            } else if (unit != nullptr && column.unit &&
                       unit->currentIndex() != indexOfUnit(unitsOf(column.role), *column.unit)) {
                next.units[column.title] = unit->currentText().toStdString();
            } else if (unit != nullptr && !column.unit && unit->currentIndex() > 0) {
                next.units[column.title] = unit->currentText().toStdString();
            }
        }
    }
    options_ = next;
    Q_EMIT optionsChanged();
}

QString optionsText(const ReadOptions& o) {
    QJsonObject map;
    for (const auto& [role, column] : o.map)
        map[QString::fromStdString(toString(role))] = QString::fromStdString(column);
    QJsonObject units;
    for (const auto& [title, unit] : o.units)
        units[QString::fromStdString(title)] = QString::fromStdString(unit);
    QJsonObject roleUnits;
    for (const auto& [role, unit] : o.roleUnits)
        roleUnits[QString::fromStdString(toString(role))] = QString::fromStdString(unit);
    QStringList ignored;
    for (const std::string& column : o.ignored) ignored << QString::fromStdString(column);
    return QJsonDocument(
               QJsonObject{{"map", map},
                           {"units", units},
                           {"ignored", ignored.join(' ')},
                           {"sign", static_cast<int>(o.sign)},
                           {"delimiter", static_cast<int>(o.delimiter)},
                           {"decimal", static_cast<int>(o.decimal)},
                           {"roleUnits", roleUnits},
                           {"dateOrder", o.dateOrder ? static_cast<int>(*o.dateOrder) : -1},
                           {"load", static_cast<int>(o.load.kind)},
                           {"loadValue", o.load.value},
                           {"interval_s", o.interval_s}})
        .toJson(QJsonDocument::Compact);
}

ReadOptions optionsFrom(const QString& text) {
    ReadOptions o;
    const QJsonObject j = QJsonDocument::fromJson(text.toUtf8()).object();
    const QJsonObject map = j["map"].toObject();
    for (const auto& [role, words] : kRoles)
        if (const auto column = map[QString::fromStdString(toString(role))]; column.isString())
            o.map[role] = column.toString().toStdString();
    const QJsonObject units = j["units"].toObject();
    for (auto it = units.begin(); it != units.end(); ++it)
        o.units[it.key().toStdString()] = it.value().toString().toStdString();
    for (const QString& column : j["ignored"].toString().split(' ', Qt::SkipEmptyParts))
        o.ignored.insert(column.toStdString());
    const QJsonObject roleUnits = j["roleUnits"].toObject();
    for (const auto& [role, words] : kRoles)
        if (const auto unit = roleUnits[QString::fromStdString(toString(role))]; unit.isString())
            o.roleUnits[role] = unit.toString().toStdString();
    if (const int order = j["dateOrder"].toInt(-1); order >= 0 && order <= 2)
        o.dateOrder = static_cast<DateOrder>(order);
    const int load = j["load"].toInt();
    const double value = j["loadValue"].toDouble();
    if (load > 0 && load <= 3 && value > 0) o.load = {static_cast<KnownLoad::Kind>(load), value};
    const int sign = j["sign"].toInt();
    if (sign >= 0 && sign <= 2) o.sign = static_cast<SignConvention>(sign);
    o.delimiter = static_cast<char>(j["delimiter"].toInt());
    o.decimal = static_cast<char>(j["decimal"].toInt());
    o.interval_s = std::max(0.0, j["interval_s"].toDouble());
    return o;
}

}  // namespace nk
