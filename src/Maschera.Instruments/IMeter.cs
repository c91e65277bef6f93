using Maschera.Core.Vehicle;

namespace Maschera.Instruments;

/// <summary>
/// A meter whose leads somebody holds where they are asked to. A real one that can be read by the computer implements this and
/// nothing else; see docs/instruments.md.
/// </summary>
public interface IMeter
{
    /// <summary>Its name for a person.</summary>
    string Name { get; }

    /// <summary>
    /// What it shows with the red lead on the row's first terminal and the black one on its second, under the row's condition: V, Ω
    /// or A; positive infinity for an open circuit. The row's own value is not looked at.
    /// </summary>
    /// <exception cref="MeterException">It can't measure that.</exception>
    Task<double> MeasureAsync(SheetRow asked, CancellationToken cancel);
}

/// <summary>A meter that can't measure; its message is a sentence for the person.</summary>
public sealed class MeterException(string message) : Exception(message);
