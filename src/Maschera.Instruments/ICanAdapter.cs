using Maschera.Core.Vehicle;

namespace Maschera.Instruments;

/// <summary>
/// A plug in the vehicle's diagnostic socket: sends and receives CAN frames. A real adapter implements this and nothing
/// else; requests, flow control and answers are put together above it. See docs/instruments.md.
/// </summary>
public interface ICanAdapter
{
    /// <summary>Its name for a person.</summary>
    string Name { get; }

    /// <summary>Sends a frame.</summary>
    /// <exception cref="VehicleException">The adapter is lost.</exception>
    Task SendAsync(CanFrame frame, CancellationToken cancel);

    /// <summary>The next frame of the bus; null where none comes within <paramref name="wait"/>.</summary>
    /// <exception cref="VehicleException">The adapter is lost.</exception>
    Task<CanFrame?> ReceiveAsync(TimeSpan wait, CancellationToken cancel);
}

/// <summary>A vehicle that can't be asked; its message is a sentence for the person.</summary>
public sealed class VehicleException(string message) : Exception(message);
