#include "app/debrief/FormulaDialog.h"

#include <QtWidgets>

#include "app/widgets/Theme.h"

namespace anhinga {

FormulaDialog::FormulaDialog(TraceModel* model, const QString& name, QWidget* parent) : QDialog(parent), model_(model) {
    setObjectName("formula dialog");
    setWindowTitle("Formula channel");
    resize(620, 420);
    auto* column = new QVBoxLayout(this);
    auto* form = new QFormLayout;
    name_ = new QLineEdit(name);
    name_->setObjectName("formula name");
    name_->setPlaceholderText("power");
    formula_ = new QLineEdit;
    formula_->setObjectName("formula text");
    formula_->setFont(monoFont(10));
    formula_->setPlaceholderText("battery.voltage_v * battery.current_a");
    form->addRow("Name", name_);
    form->addRow("Formula", formula_);
    column->addLayout(form);
    mark_ = new QLabel;
    mark_->setObjectName("formula mark");
    mark_->setFont(monoFont(10));
    mark_->setTextFormat(Qt::RichText);
    mark_->setMinimumHeight(20);
    column->addWidget(mark_);
    result_ = new QLabel;
    result_->setObjectName("formula result");
    result_->setWordWrap(true);
    result_->setMinimumHeight(34);
    column->addWidget(result_);
    auto* help = new QTextBrowser;
    QString text =
        "<p>Channels by name, numbers, + − * / ^ ( ) and pi. Names with other characters in \"quotes\".</p><table>";
    for (const FormulaFunction& f : formulaFunctions())
        text +=
            QString("<tr><td><code>%1(%2)</code>&nbsp;&nbsp;</td><td>%3</td></tr>").arg(f.name, f.arguments, f.help);
    help->setHtml(text + "</table>");
    column->addWidget(help, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    ok_ = buttons->button(QDialogButtonBox::Ok);
    ok_->setText("Add and draw");
    ok_->setObjectName("formula ok");
    column->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &FormulaDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &FormulaDialog::reject);
    for (const FormulaChannel& f : model_->formulas())
        if (f.name == name) formula_->setText(f.formula);
    // Names complete as they are typed, behind whatever stands before them.
    connect(name_, &QLineEdit::textChanged, this, &FormulaDialog::check);
    connect(formula_, &QLineEdit::textChanged, this, &FormulaDialog::check);
    check();
}

void FormulaDialog::check() {
    mark_->clear();
    if (!model_->log()) return;
    Channel out;
    FormulaError error;
    const std::string text = formula_->text().toStdString();
    const bool good = evaluateFormula(*model_->log(), text, out, error);
    ok_->setEnabled(good && !name_->text().trimmed().isEmpty());
    if (good) {
        const Stats s = statsOf(out.value);
        result_->setText(s.count == 0 ? QString("%1 values, none of them a number").arg(out.value.size())
                                      : QString("%1 values from %2 to %3 %4, mean %5")
                                            .arg(s.count)
                                            .arg(s.lowest, 0, 'g', 5)
                                            .arg(s.highest, 0, 'g', 5)
                                            .arg(QString::fromStdString(out.unit))
                                            .arg(s.mean, 0, 'g', 5));
        return;
    }
    if (text.empty()) {
        result_->setText("Type a formula; what it gives is shown here.");
        return;
    }
    const auto part = [&](std::size_t from, std::size_t n) {
        return from < text.size() ? QString::fromStdString(text.substr(from, n)).toHtmlEscaped() : QString();
    };
    QString wrong = part(error.at, error.length);
    if (wrong.trimmed().isEmpty()) wrong = "&nbsp;";
    mark_->setText(part(0, error.at) + "<span style='background:#C8402A;color:white'>" + wrong + "</span>" +
                   part(error.at + error.length, text.size()));
    result_->setText(QString("At character %1: %2").arg(error.at + 1).arg(QString::fromStdString(error.message)));
}

void FormulaDialog::accept() {
    FormulaError error;
    if (!model_->setFormula({name_->text().trimmed(), formula_->text().trimmed()}, error)) {
        result_->setText(QString::fromStdString(error.message));
        return;
    }
    const std::string name = name_->text().trimmed().toStdString();
    const auto& traces = model_->traces();
    if (std::none_of(traces.begin(), traces.end(), [&](const Trace& t) { return t.name == name; }))
        model_->toggle(name, true);
    QDialog::accept();
}

}  // namespace anhinga
