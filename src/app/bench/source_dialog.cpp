#include "app/bench/source_dialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>
#include <nlohmann/json.hpp>

#include "analysis/finish/replay.h"
#include "app/bench/bench_process.h"
#include "app/session/text.h"
#include "app/theme/let_go.h"
#include "app/theme/word_label.h"
#include "planning/charge_plan.h"

namespace nk {

SourceDialog::SourceDialog(Session& session, Kind kind, QWidget* parent)
    : QDialog(parent), session_(session), kind_(kind) {
    setObjectName("sourceDialog");
    setWindowTitle(tr("Watch a source"));
    setMinimumWidth(520);
    auto* box = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    box->addLayout(form);
    const auto field = [&](const QString& label, QWidget* edit, const char* name) {
        edit->setObjectName(name);
        edit->setAccessibleName(label);
        form->addRow(label, edit);
    };
    source_ = new QLineEdit(this);
    if (kind == Kind::Simulated) {
        speed_ = new QComboBox(this);
        for (const int x : {1, 10, 60, 600}) speed_->addItem(tr("%1 times real time").arg(x), x);
        speed_->setCurrentIndex(2);
        field(tr("Runs"), speed_, "sourceSpeed");
    } else if (kind == Kind::Serial) {
        source_->setPlaceholderText("/dev/ttyUSB0@9600:1");
        source_->setToolTip(
            tr("Device, behind @ its speed (left out: guessed), behind : the "
               "channel of an instrument"));
        field(tr("Line"), source_, "sourceText");
    } else if (kind == Kind::File) {
        auto* row = new QWidget(this);
        auto* across = new QHBoxLayout(row);
        across->setContentsMargins(0, 0, 0, 0);
        auto* choose = new QPushButton(tr("Choose…"), row);
        choose->setObjectName("sourceChoose");
        across->addWidget(source_, 1);
        across->addWidget(choose);
        connect(choose, &QPushButton::clicked, this, [this] {
            const QString file = session_.dialogs().openFile(
                this, tr("A log that grows"), tr("Logs (*.csv *.tsv *.txt *.log);;All files (*)"));
            if (!file.isEmpty()) source_->setText(file);
        });
        source_->setObjectName("sourceText");
        source_->setAccessibleName(tr("File"));
        form->addRow(tr("File"), row);
    } else {
        source_->setText("own-battery");
        source_->setToolTip(
            tr("The kernel's power-supply files; behind a colon another folder of "
               "that shape"));
        field(tr("Battery of"), source_, "sourceText");
    }
    battery_ = new QComboBox(this);
    battery_->addItem(
        kind == Kind::Simulated ? tr("those that it simulates") : tr("none of the shelf"), 0);
    for (const BatteryEntry& e : session.batteries())
        battery_->addItem(QString::fromStdString(e.battery.name), static_cast<qlonglong>(e.id));
    if (kind == Kind::Simulated) {
        // What it plays tells both.
        source_->hide();
        battery_->hide();
    } else {
        field(tr("Whose"), battery_, "sourceBattery");
        title_ = new QLineEdit(this);
        title_->setPlaceholderText(tr("as the battery, with the day"));
        field(tr("Called"), title_, "sourceTitle");
    }
    rules_ = new QLineEdit(this);
    rules_->setPlaceholderText(tr("for example -dv:5mV or taper:C/20"));
    rules_->setToolTip(
        tr("Stop rules as at Finish, one after another with a space between; each "
           "calls you when it says stop"));
    field(tr("Rules"), rules_, "sourceRules");
    auto* before = new QLabel(tr("Before the start"), this);
    before->setProperty("role", "heading");
    box->addWidget(before);
    list_ = new QVBoxLayout;
    box->addLayout(list_);
    auto* caution = new QLabel(tr("This program watches and calls; it is no protection device. "
                                  "Charging is never left alone."),
                               this);
    caution->setWordWrap(true);
    box->addWidget(caution);
    problem_ = wordLabel(this, "sourceProblem", "hazard");
    problem_->hide();
    box->addWidget(problem_);
    auto* buttons = new QDialogButtonBox(this);
    auto* go = buttons->addButton(tr("Watch"), QDialogButtonBox::AcceptRole);
    go->setObjectName("sourceGo");
    go->setDefault(true);
    buttons->addButton(tr("Leave it"), QDialogButtonBox::RejectRole);
    box->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, [this] {
        if (check()) accept();
    });
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(battery_, &QComboBox::currentIndexChanged, this, &SourceDialog::refresh);
    refresh();
}

void SourceDialog::refresh() {
    for (QCheckBox* t : ticks_) letGo(t);
    ticks_.clear();
    const Battery b = session_.batteryOf(battery_->currentData().toLongLong());
    // The current is the plan's matter.
    for (const std::string& line : preflightList(b, 0, 0)) {
        auto* tick = new QCheckBox(QString::fromStdString(line), this);
        tick->setObjectName("sourceTick");
        list_->addWidget(tick);
        ticks_.push_back(tick);
    }
}

bool SourceDialog::check() {
    QString wrong;
    for (const std::string& rule : rules())
        if (const auto read = parseRule(rule); !read) wrong = text(read.error());
    if (kind_ != Kind::Simulated && source_->text().trimmed().isEmpty())
        wrong = tr("Say where the rows come from.");
    problem_->setText(wrong);
    problem_->setVisible(!wrong.isEmpty());
    return wrong.isEmpty();
}

std::vector<std::string> SourceDialog::rules() const {
    std::vector<std::string> out;
    for (const QString& r : rules_->text().split(' ', Qt::SkipEmptyParts))
        out.push_back(r.toStdString());
    return out;
}

double SourceDialog::speed() const {
    return speed_ != nullptr ? speed_->currentData().toDouble() : 1;
}

FeedWish SourceDialog::wish() const {
    FeedWish out;
    out.source = source_->text().trimmed().toStdString();
    out.batteryId = battery_->currentData().toLongLong();
    const Battery b = session_.batteryOf(out.batteryId);
    out.title = title_ != nullptr ? title_->text().trimmed().toStdString() : std::string();
    if (out.title.empty())
        out.title = (b.name.empty() ? tr("Live").toStdString() : b.name) + " " +
                    QDateTime::currentDateTime().toString("yyyy-MM-dd HH.mm").toStdString();
    out.book = session_.path();
    nlohmann::json ticked = nlohmann::json::array();
    nlohmann::json open = nlohmann::json::array();
    for (const QCheckBox* t : ticks_)
        (t->isChecked() ? ticked : open).push_back(t->text().toStdString());
    nlohmann::json details = nlohmann::json::parse(processMark());
    details["ticked"] = std::move(ticked);
    details["open"] = std::move(open);
    out.details = details.dump();
    return out;
}

}  // namespace nk
