using System.Globalization;
using System.Text;
using Maschera.Core.Basics;
using Maschera.Core.Vehicle;

namespace Maschera.Formats;

/// <summary>
/// A table of what was measured at a component: from, to, kind, value, unit, condition; comma, semicolon or tab. Where it holds
/// several components, a column of that name says which.
/// </summary>
public static class CircuitSheetFile
{
    /// <summary>Nobody measures more at a component.</summary>
    private const int MostRows = 2_000;

    private static readonly string[] s_columns = ["from", "to", "kind", "value", "unit", "condition", "component"];

    /// <summary>Reads the file.</summary>
    /// <exception cref="CaptureFormatException">It can't be read; line and column say where.</exception>
    public static CircuitSheet Load(string path) => Parse(TextFile.Load(path), Path.GetFileName(path));

    /// <summary>Reads the text of a file called <paramref name="name"/>.</summary>
    /// <exception cref="CaptureFormatException">It can't be read; line and column say where.</exception>
    public static CircuitSheet Parse(string text, string name)
    {
        var lines = text.TrimStart('\uFEFF').Split('\n').Select(l => l.TrimEnd('\r')).ToList();
        var head = lines.FindIndex(l => !IsEmpty(l));
        if (head < 0)
            throw new CaptureFormatException(name, "is empty.");
        var delimiter = CsvLayoutFinder.Delimiters.MaxBy(d => Cells(lines[head], d).Count(c => s_columns.Contains(c.ToLowerInvariant())));
        var names = Cells(lines[head], delimiter).Select(c => c.ToLowerInvariant()).ToList();
        var places = s_columns.Select(c => names.IndexOf(c)).ToArray();
        if (Array.FindIndex(places, 0, 4, p => p < 0) is >= 0 and var missing)
            throw new CaptureFormatException(
                name,
                head + 1,
                $"there is no column '{s_columns[missing]}'; the first line names from, to, kind, value, unit, condition."
            );
        List<SheetRow> rows = [];
        for (var i = head + 1; i < lines.Count; i++)
            if (rows.Count == MostRows)
                throw new CaptureFormatException(
                    name,
                    i + 1,
                    $"there are more than {MostRows:N0} values: this is no sheet of a component."
                );
            else if (!IsEmpty(lines[i]))
                rows.Add(Row(name, i + 1, Cells(lines[i], delimiter), places));
        return new CircuitSheet(rows);
    }

    private static bool IsEmpty(string line) => string.IsNullOrWhiteSpace(line) || line.TrimStart().StartsWith('#');

    private static string[] Cells(string line, char delimiter) => CsvLayoutFinder.Cells(line, delimiter);

    private static SheetRow Row(string name, int line, string[] cells, int[] places)
    {
        string Cell(int column) => places[column] >= 0 && places[column] < cells.Length ? cells[places[column]].Trim() : "";
        if (Cell(0).Length == 0 || Cell(1).Length == 0)
            throw new CaptureFormatException(
                name,
                line,
                Cell(0).Length == 0 ? "from" : "to",
                "is empty; say which terminal the lead was on."
            );
        var quantity = Cell(2).ToLowerInvariant() switch
        {
            "voltage" => SheetQuantity.Voltage,
            "resistance" => SheetQuantity.Resistance,
            "current" => SheetQuantity.Current,
            _ => throw new CaptureFormatException(name, line, "kind", $"'{Cell(2)}' is neither voltage, resistance nor current."),
        };
        return new(
            Terminal(Cell(0)),
            Terminal(Cell(1)),
            quantity,
            Value(name, line, Cell(3)) * Factor(name, line, Cell(4), quantity),
            Cell(5),
            line,
            Cell(6)
        );
    }

    /// <summary>The table as text, in V, Ω and A; the column of components where one is named.</summary>
    public static string Write(CircuitSheet sheet)
    {
        var named = sheet.Rows.Any(r => r.Component.Length > 0);
        var text = new StringBuilder(string.Join(',', s_columns.Take(named ? 7 : 6))).Append('\n');
        foreach (var row in sheet.Rows)
        {
            string[] cells =
            [
                row.From,
                row.To,
                row.Quantity.ToString().ToLowerInvariant(),
                double.IsFinite(row.Value) ? row.Value.ToString("R", CultureInfo.InvariantCulture) : "OL",
                UnitOf(row.Quantity),
                row.Condition,
                row.Component,
            ];
            text.Append(string.Join(',', cells.Take(named ? 7 : 6).Select(Quoted))).Append('\n');
        }

        return text.ToString();
    }

    private static string Quoted(string cell) =>
        cell.AsSpan().ContainsAny(",\"\n;") ? $"\"{cell.Replace("\"", "\"\"", StringComparison.Ordinal)}\"" : cell;

    /// <summary>The unit a quantity is kept in.</summary>
    public static string UnitOf(SheetQuantity quantity) =>
        quantity switch
        {
            SheetQuantity.Voltage => "V",
            SheetQuantity.Resistance => "Ω",
            _ => "A",
        };

    /// <summary>A terminal's name as sheets have it: lower case, single blanks, a plain hyphen for a minus.</summary>
    public static string Terminal(string text) =>
        string.Join(' ', text.ToLowerInvariant().Replace('−', '-').Split(' ', StringSplitOptions.RemoveEmptyEntries));

    /// <summary>A meter's value: a number, or OL and ∞ for an open circuit; null for anything else.</summary>
    public static double? ValueOf(string text) =>
        text.Trim('>', ' ').ToUpperInvariant() is "OL" or "O.L" or "O.L." or "0L" or "∞"
            ? double.PositiveInfinity
            : TypedNumber.Parse(text);

    private static double Value(string name, int line, string text) =>
        ValueOf(text)
        ?? throw new CaptureFormatException(name, line, "value", $"'{text}' is no number; write one, or OL for an open circuit.");

    /// <summary>What a value in <paramref name="unit"/> is multiplied by for V, Ω or A.</summary>
    private static double Factor(string name, int line, string unit, SheetQuantity quantity)
    {
        var plain = unit.Trim()
            .Replace("ohms", "Ω", StringComparison.OrdinalIgnoreCase)
            .Replace("ohm", "Ω", StringComparison.OrdinalIgnoreCase);
        plain = plain.Replace('\u2126', 'Ω').Replace('μ', 'µ').Replace(" ", "", StringComparison.Ordinal);
        var own = UnitOf(quantity);
        if (plain.Length == 0 || plain.Equals(own, StringComparison.OrdinalIgnoreCase))
            return 1;
        if (plain.Length == 2 && plain[1..].Equals(own, StringComparison.OrdinalIgnoreCase))
            switch (plain[0])
            {
                case 'm':
                    return 1e-3;
                case 'µ' or 'u':
                    return 1e-6;
                case 'k' or 'K':
                    return 1e3;
                case 'M':
                    return 1e6;
            }
        throw new CaptureFormatException(
            name,
            line,
            "unit",
            $"'{unit}' is no unit of a {quantity.ToString().ToLowerInvariant()}; write {own}, m{own} or k{own}."
        );
    }
}
