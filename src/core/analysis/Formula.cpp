#include "core/analysis/Formula.h"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>
#include <optional>
#include <set>

#include "core/base/Result.h"

namespace anhinga {

namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
constexpr double kReach_s = 3;  // from the nearest sample
constexpr int kDeepest = 60;    // brackets in brackets
constexpr std::size_t kLongest = 2000;
constexpr double kMostExponent = 1000;  // of a unit

// ---- units

/// Exponents of what a unit is made of; a plain number has none.
class Unit {
  public:
    static Unit of(const std::string& text) {
        Unit u;
        int sign = 1;
        std::size_t at = 0;
        while (at < text.size()) {
            if (text[at] == '/') sign = -1;
            if (text[at] == '/' || text[at] == '*') {
                ++at;
                continue;
            }
            std::size_t end = at;
            while (end < text.size() && text[end] != '/' && text[end] != '*' &&
                   std::isdigit(static_cast<unsigned char>(text[end])) == 0)
                ++end;
            const std::string atom = text.substr(at, end - at);
            int power = 1;
            if (end < text.size() && std::isdigit(static_cast<unsigned char>(text[end])) != 0)
                power = text[end++] - '0';
            if (!atom.empty()) u.exponents_[atom] += sign * power;
            if (end == at) ++end;
            at = end;
        }
        u.tidy();
        return u;
    }
    Unit times(const Unit& other, int sign) const {
        Unit u = *this;
        for (const auto& [atom, power] : other.exponents_) u.exponents_[atom] += sign * power;
        u.tidy();
        return u;
    }
    std::optional<Unit> power(double p) const {
        Unit u;
        for (const auto& [atom, e] : exponents_) {
            const double to = e * p;
            if (!(std::abs(to - std::round(to)) <= 1e-9 && std::abs(to) <= kMostExponent)) return std::nullopt;
            u.exponents_[atom] = static_cast<int>(std::round(to));
        }
        u.tidy();
        return u;
    }
    bool none() const { return exponents_.empty(); }
    bool is(const std::string& atom) const {
        return exponents_.size() == 1 && exponents_.begin()->first == atom && exponents_.begin()->second == 1;
    }
    bool operator==(const Unit&) const = default;
    std::string text() const {
        if (exponents_ == std::map<std::string, int>{{"A", 1}, {"V", 1}}) return "W";
        std::string up, down;
        for (const auto& [atom, e] : exponents_) {
            std::string& part = e > 0 ? up : down;
            part += (part.empty() ? "" : "*") + atom + (std::abs(e) > 1 ? std::to_string(std::abs(e)) : "");
        }
        return down.empty() ? up : (up.empty() ? "1" : up) + "/" + down;
    }

  private:
    void tidy() {
        std::erase_if(exponents_, [](const auto& e) { return e.second == 0; });
    }
    std::map<std::string, int> exponents_;
};

// ---- values: one number, or a series on the common times

struct Value {
    bool series = false;
    double number = 0;
    std::vector<double> v;
    Unit unit;
    bool literal = false;  // a plain number takes whatever unit it is added to
    double at(std::size_t i) const { return series ? v[i] : number; }
};

struct Failure {
    FormulaError error;
};
[[noreturn]] void wrong(std::string message, std::size_t at, std::size_t length = 1) {
    throw Failure{{std::move(message), at, std::max<std::size_t>(1, length)}};
}

// ---- functions over time; `t` are the times of `v`

using Series = std::vector<double>;

Series derivative(const Series& t, const Series& v) {
    Series out(v.size(), kNone);
    for (std::size_t i = 0; i < v.size(); ++i) {
        const std::size_t a = i > 0 ? i - 1 : i, b = i + 1 < v.size() ? i + 1 : i;
        if (t[b] > t[a]) out[i] = (v[b] - v[a]) / (t[b] - t[a]);
    }
    return out;
}
Series integral(const Series& t, const Series& v) {
    Series out(v.size(), 0);
    for (std::size_t i = 1; i < v.size(); ++i) {
        const double step = (v[i] + v[i - 1]) / 2 * (t[i] - t[i - 1]);
        out[i] = out[i - 1] + (std::isfinite(step) ? step : 0);
    }
    return out;
}
/// Over the seconds before each sample, itself with them: mean, or standard deviation.
Series rolling(const Series& t, const Series& v, double seconds, bool deviation) {
    Series out(v.size(), kNone);
    std::size_t low = 0;
    double sum = 0, squares = 0, zero = 0;
    long n = 0;
    for (const double x : v)
        if (std::isfinite(x)) {
            zero = x;  // sums of differences lose less than sums of values
            break;
        }
    for (std::size_t i = 0; i < v.size(); ++i) {
        const double d = v[i] - zero;
        if (std::isfinite(d)) {
            sum += d;
            squares += d * d;
            ++n;
        }
        for (; low < i && t[low] <= t[i] - seconds; ++low) {
            const double gone = v[low] - zero;
            if (!std::isfinite(gone)) continue;
            sum -= gone;
            squares -= gone * gone;
            --n;
        }
        if (n == 0) continue;
        const double mean = sum / static_cast<double>(n);
        out[i] = deviation ? std::sqrt(std::max(0.0, squares / static_cast<double>(n) - mean * mean)) : zero + mean;
    }
    return out;
}
Series lagged(const Series& t, const Series& v, double seconds) {
    Series out(v.size(), kNone);
    for (std::size_t i = 0; i < v.size(); ++i) {
        const double at = t[i] - seconds;
        const auto next = std::lower_bound(t.begin(), t.end(), at);
        if (next == t.end() || (next == t.begin() && *next > at)) continue;
        const auto b = static_cast<std::size_t>(next - t.begin());
        if (t[b] <= at || b == 0)
            out[i] = v[b];
        else if (t[b] - t[b - 1] <= 2 * kReach_s)
            out[i] = v[b - 1] + (v[b] - v[b - 1]) * (at - t[b - 1]) / (t[b] - t[b - 1]);
    }
    return out;
}
/// First order, as of a resistor and a capacitor.
Series lowpass(const Series& t, const Series& v, double hz) {
    Series out(v.size(), kNone);
    double state = kNone;
    for (std::size_t i = 0; i < v.size(); ++i) {
        if (!std::isfinite(v[i])) continue;
        const double dt = i > 0 ? t[i] - t[i - 1] : 0;
        state = std::isfinite(state) ? state + (v[i] - state) * (1 - std::exp(-2 * M_PI * hz * dt)) : v[i];
        out[i] = state;
    }
    return out;
}
Series unwrapped(const Series& v) {
    Series out = v;
    double before = kNone, sum = 0;
    for (std::size_t i = 0; i < v.size(); ++i) {
        if (!std::isfinite(v[i])) continue;
        sum = std::isfinite(before) ? sum + std::remainder(v[i] - before, 360.0) : v[i];
        before = v[i];
        out[i] = sum;
    }
    return out;
}

const std::vector<FormulaFunction> kFunctions = {
    {"abs", "x", "without its sign"},
    {"sqrt", "x", "square root"},
    {"sin", "x", "sine; x in degrees where its unit says so, else radians"},
    {"cos", "x", "cosine"},
    {"tan", "x", "tangent"},
    {"atan2", "y, x", "angle in degrees"},
    {"hypot", "x, y", "root of the sum of squares"},
    {"exp", "x", "e to the power"},
    {"log", "x", "natural logarithm"},
    {"min", "x, y", "the smaller"},
    {"max", "x, y", "the larger"},
    {"derivative", "x", "change a second"},
    {"integral", "x", "sum over time"},
    {"mean", "x, seconds", "mean of the seconds before"},
    {"deviation", "x, seconds", "standard deviation of the seconds before"},
    {"lag", "x, seconds", "as it was so many seconds before"},
    {"lowpass", "x, hertz", "without what is faster"},
    {"unwrap", "x", "an angle in degrees without its jumps at the end of the circle"},
};

// ---- the parser

bool nameBegins(char c) {
    return std::isalpha(static_cast<unsigned char>(c)) != 0;
}
bool nameGoesOn(char c) {
    return std::isalnum(static_cast<unsigned char>(c)) != 0 || c == '_' || c == '.' || c == '#' || c == '[' || c == ']';
}

class Parser {
  public:
    Parser(const std::string& text, const FlightLog* log) : text_(text), log_(log) {}

    /// Names only.
    void collect(std::vector<std::string>& names) {
        for (at_ = 0; at_ < text_.size();) {
            if (text_[at_] == '"') {
                const auto end = text_.find('"', at_ + 1);
                if (end == std::string::npos) return;
                names.push_back(text_.substr(at_ + 1, end - at_ - 1));
                at_ = end + 1;
            } else if (std::isdigit(static_cast<unsigned char>(text_[at_])) != 0) {
                (void)number();
            } else if (nameBegins(text_[at_])) {
                const std::string name = word();
                skip();
                if ((at_ >= text_.size() || text_[at_] != '(') && name != "pi") names.push_back(name);
            } else {
                ++at_;
            }
        }
    }

    void chooseTimes(const std::vector<std::string>& names) {
        for (const std::string& name : names) {
            const Channel* c = log_->find(name);
            if (c != nullptr && (base_ == nullptr || c->t_s.size() > base_->t_s.size())) base_ = c;
        }
    }
    const Channel* base() const { return base_; }

    Value parse() {
        at_ = 0;
        Value v = sum(0);
        skip();
        if (at_ < text_.size()) wrong(fmt::format("\"{}\" does not belong here", text_[at_]), at_);
        return v;
    }

  private:
    void skip() {
        while (at_ < text_.size() && std::isspace(static_cast<unsigned char>(text_[at_])) != 0) ++at_;
    }
    bool take(char c) {
        skip();
        if (at_ >= text_.size() || text_[at_] != c) return false;
        ++at_;
        return true;
    }
    std::string word() {
        const std::size_t from = at_;
        while (at_ < text_.size() && nameGoesOn(text_[at_])) ++at_;
        return text_.substr(from, at_ - from);
    }
    double number() {
        double v = 0;
        const char* begin = text_.data() + at_;
        const auto [end, code] = std::from_chars(begin, text_.data() + text_.size(), v);
        if (code != std::errc{}) wrong("not a number", at_);
        at_ += static_cast<std::size_t>(end - begin);
        return v;
    }

    template <class F>
    Value each(const Value& a, const Value& b, F f) const {
        Value out;
        out.series = a.series || b.series;
        if (!out.series) {
            out.number = f(a.number, b.number);
            return out;
        }
        out.v.resize(base_->t_s.size());
        for (std::size_t i = 0; i < out.v.size(); ++i) out.v[i] = f(a.at(i), b.at(i));
        return out;
    }
    template <class F>
    Value each(const Value& a, F f) const {
        return each(a, a, [&](double x, double) { return f(x); });
    }
    static Unit alike(const Value& a, const Value& b, const char* what, std::size_t at) {
        if (a.literal && !b.literal) return b.unit;
        if (b.literal || a.unit == b.unit) return a.unit;
        const auto name = [](const Value& v) { return v.unit.none() ? std::string("no unit") : v.unit.text(); };
        wrong(fmt::format("{} of {} and {}: the units differ", what, name(a), name(b)), at);
    }

    Value sum(int depth) {
        Value left = product(depth);
        for (;;) {
            skip();
            if (at_ >= text_.size() || (text_[at_] != '+' && text_[at_] != '-')) return left;
            const std::size_t op = at_;
            const bool plus = text_[at_++] == '+';
            const Value right = product(depth);
            const Unit unit = alike(left, right, plus ? "sum" : "difference", op);
            const bool literal = left.literal && right.literal;
            left = each(left, right, [plus](double x, double y) { return plus ? x + y : x - y; });
            left.unit = unit;
            left.literal = literal;
        }
    }
    Value product(int depth) {
        Value left = signedPower(depth);
        for (;;) {
            skip();
            if (at_ >= text_.size() || (text_[at_] != '*' && text_[at_] != '/')) return left;
            const bool times = text_[at_++] == '*';
            const Value right = signedPower(depth);
            const Unit unit = left.unit.times(right.unit, times ? 1 : -1);
            const bool literal = left.literal && right.literal;
            left = each(left, right, [times](double x, double y) { return times ? x * y : x / y; });
            left.unit = unit;
            left.literal = literal;
        }
    }
    Value signedPower(int depth) {
        if (depth > kDeepest) wrong("too many brackets inside one another", at_);
        if (take('-')) {
            const Value v = signedPower(depth + 1);
            Value out = each(v, [](double x) { return -x; });
            out.unit = v.unit;
            out.literal = v.literal;
            return out;
        }
        if (take('+')) return signedPower(depth + 1);
        Value base = primary(depth);
        skip();
        if (at_ >= text_.size() || text_[at_] != '^') return base;
        const std::size_t op = at_++;
        const Value power = signedPower(depth + 1);
        if (!power.unit.none()) wrong("a power has no unit", op);
        Unit unit;
        if (!base.unit.none()) {
            if (power.series) wrong("something with a unit can only be raised to a fixed power", op);
            const auto u = base.unit.power(power.number);
            if (!u) wrong("this power of the unit is not a whole one", op);
            unit = *u;
        }
        const bool literal = base.literal && power.literal;
        Value out = each(base, power, [](double x, double y) { return std::pow(x, y); });
        out.unit = unit;
        out.literal = literal;
        return out;
    }
    Value primary(int depth) {
        skip();
        if (at_ >= text_.size()) wrong("something is missing at the end", text_.empty() ? 0 : text_.size() - 1);
        const std::size_t from = at_;
        const char c = text_[at_];
        if (c == '(') {
            ++at_;
            Value v = sum(depth + 1);
            if (!take(')')) wrong("this bracket is not closed", from);
            return v;
        }
        if (std::isdigit(static_cast<unsigned char>(c)) != 0 || c == '.') {
            Value v;
            v.number = number();
            v.literal = true;
            return v;
        }
        if (c == '"') {
            const auto end = text_.find('"', at_ + 1);
            if (end == std::string::npos) wrong("this quote is not closed", from);
            at_ = end + 1;
            return channel(text_.substr(from + 1, end - from - 1), from, end + 1 - from);
        }
        if (!nameBegins(c)) wrong(fmt::format("\"{}\" does not belong here", c), from);
        const std::string name = word();
        skip();
        if (at_ < text_.size() && text_[at_] == '(') return call(name, from, depth);
        if (name == "pi") {
            Value v;
            v.number = M_PI;
            v.literal = true;
            return v;
        }
        return channel(name, from, name.size());
    }
    Value channel(const std::string& name, std::size_t from, std::size_t length) const {
        const Channel* c = log_->find(name);
        if (c == nullptr) wrong(fmt::format("this log has no channel \"{}\"", name), from, length);
        if (c->t_s.empty() || base_ == nullptr) wrong(fmt::format("channel \"{}\" has no values", name), from, length);
        Value out;
        out.series = true;
        out.unit = Unit::of(c->unit);
        if (c == base_ || c->t_s == base_->t_s) {
            out.v = c->value;
            return out;
        }
        out.v.assign(base_->t_s.size(), kNone);
        std::size_t k = 0;
        for (std::size_t i = 0; i < out.v.size(); ++i) {
            const double t = base_->t_s[i];
            while (k + 1 < c->t_s.size() && c->t_s[k + 1] <= t) ++k;
            const double a = c->t_s[k];
            if (a > t) {
                if (a - t <= kReach_s) out.v[i] = c->value[k];
            } else if (k + 1 < c->t_s.size() && c->t_s[k + 1] - a <= 2 * kReach_s) {
                const double b = c->t_s[k + 1];
                out.v[i] = b > a ? c->value[k] + (c->value[k + 1] - c->value[k]) * (t - a) / (b - a) : c->value[k];
            } else if (t - a <= kReach_s) {
                out.v[i] = c->value[k];
            }
        }
        return out;
    }
    Value call(const std::string& name, std::size_t from, int depth) {
        const auto known = std::find_if(kFunctions.begin(), kFunctions.end(),
                                        [&](const FormulaFunction& f) { return name == f.name; });
        if (known == kFunctions.end()) wrong(fmt::format("there is no function \"{}\"", name), from, name.size());
        const std::size_t bracket = at_++;
        std::vector<Value> args;
        std::vector<std::size_t> begins;
        if (!take(')')) {
            do {
                skip();
                begins.push_back(at_);
                args.push_back(sum(depth + 1));
            } while (take(','));
            if (!take(')')) wrong("this bracket is not closed", bracket);
        }
        const auto wanted =
            static_cast<std::size_t>(std::count(
                known->arguments, known->arguments + std::char_traits<char>::length(known->arguments), ',')) +
            1;
        if (args.size() != wanted)
            wrong(fmt::format("{}({}) takes {} value{}, not {}", name, known->arguments, wanted, wanted > 1 ? "s" : "",
                              args.size()),
                  from, name.size());
        return apply(name, args, begins, from);
    }
    Value apply(const std::string& name, std::vector<Value>& a, const std::vector<std::size_t>& begins,
                std::size_t from) {
        Value& x = a[0];
        const auto plain = [&](double (*f)(double)) {
            if (!x.unit.none())
                wrong(fmt::format("{} of something in {}: it must have no unit", name, x.unit.text()), begins[0]);
            return each(x, f);
        };
        const auto angle = [&](double (*f)(double)) {
            const double factor = x.unit.is("deg") ? M_PI / 180 : 1;
            if (!x.unit.none() && !x.unit.is("deg") && !x.unit.is("rad"))
                wrong(fmt::format("{} of something in {}: it must be an angle", name, x.unit.text()), begins[0]);
            return each(x, [f, factor](double v) { return f(v * factor); });
        };
        const auto with = [](Value v, Unit unit) {
            v.unit = std::move(unit);
            return v;
        };
        if (name == "abs") return with(each(x, [](double v) { return std::abs(v); }), x.unit);
        if (name == "sqrt") {
            const auto u = x.unit.power(0.5);
            if (!u) wrong(fmt::format("the root of {} is no whole unit", x.unit.text()), begins[0]);
            return with(each(x, [](double v) { return std::sqrt(v); }), *u);
        }
        if (name == "sin") return angle([](double v) { return std::sin(v); });
        if (name == "cos") return angle([](double v) { return std::cos(v); });
        if (name == "tan") return angle([](double v) { return std::tan(v); });
        if (name == "exp") return plain([](double v) { return std::exp(v); });
        if (name == "log") return plain([](double v) { return std::log(v); });
        if (name == "atan2") {
            (void)alike(x, a[1], "angle", from);
            return with(each(x, a[1], [](double y, double v) { return std::atan2(y, v) * 180 / M_PI; }),
                        Unit::of("deg"));
        }
        if (name == "hypot")
            return with(each(x, a[1], [](double u, double v) { return std::hypot(u, v); }),
                        alike(x, a[1], "length", from));
        if (name == "min")
            return with(each(x, a[1], [](double u, double v) { return std::min(u, v); }),
                        alike(x, a[1], "minimum", from));
        if (name == "max")
            return with(each(x, a[1], [](double u, double v) { return std::max(u, v); }),
                        alike(x, a[1], "maximum", from));
        // Over time.
        if (!x.series) wrong(fmt::format("{} is over time: a channel is needed", name), begins[0]);
        double fixed = 0;
        if (a.size() > 1) {
            if (a[1].series || !std::isfinite(a[1].number)) wrong("a fixed number is needed here", begins[1]);
            fixed = a[1].number;
            if (name == "lag" ? std::abs(fixed) > 86400 : !(fixed > 0 && fixed <= 86400))
                wrong(name == "lag" ? "between a day before and a day after" : "above 0 and at most 86400", begins[1]);
        }
        const Series& t = base_->t_s;
        Value out;
        out.series = true;
        out.unit = x.unit;
        const Unit second = Unit::of("s");
        if (name == "derivative") {
            out.v = derivative(t, x.v);
            out.unit = x.unit.times(second, -1);
        } else if (name == "integral") {
            out.v = integral(t, x.v);
            out.unit = x.unit.times(second, 1);
        } else if (name == "mean" || name == "deviation") {
            out.v = rolling(t, x.v, fixed, name == "deviation");
        } else if (name == "lag") {
            out.v = lagged(t, x.v, fixed);
        } else if (name == "lowpass") {
            out.v = lowpass(t, x.v, fixed);
        } else {
            if (!x.unit.none() && !x.unit.is("deg")) wrong("only an angle in degrees can be unwrapped", begins[0]);
            out.v = unwrapped(x.v);
        }
        return out;
    }

    const std::string& text_;
    const FlightLog* log_;
    const Channel* base_ = nullptr;
    std::size_t at_ = 0;
};

}  // namespace

const std::vector<FormulaFunction>& formulaFunctions() {
    return kFunctions;
}

std::vector<std::string> channelsIn(const std::string& formula) {
    std::vector<std::string> names;
    try {
        Parser(formula, nullptr).collect(names);
    } catch (const Failure&) {
        return names;  // what comes after a wrong number is not looked at
    }
    return names;
}

bool evaluateFormula(const FlightLog& log, const std::string& formula, Channel& out, FormulaError& error) {
    try {
        if (formula.find_first_not_of(" \t\n") == std::string::npos) wrong("the formula is empty", 0);
        if (formula.size() > kLongest) wrong(fmt::format("longer than {} characters", kLongest), kLongest);
        Parser parser(formula, &log);
        parser.chooseTimes(channelsIn(formula));
        Value v = parser.parse();
        if (!v.series) wrong("the formula names no channel", 0, formula.size());
        out.t_s = parser.base()->t_s;
        out.value = std::move(v.v);
        out.unit = v.unit.text();
        return true;
    } catch (const Failure& failure) {
        error = failure.error;
        return false;
    }
}

}  // namespace anhinga
