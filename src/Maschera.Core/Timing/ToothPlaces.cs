namespace Maschera.Core.Timing;

/// <summary>Tooth places at any time, before it is known how many make a turn.</summary>
public sealed class ToothPlaces
{
    private readonly ToothTrain _train;

    internal ToothPlaces(ToothTrain train) => _train = train;

    /// <summary>Places since the first tooth, with a fraction between teeth; NaN outside.</summary>
    public double At(double seconds)
    {
        var i = Array.BinarySearch(_train.Seconds, seconds);
        if (i >= 0)
            return _train.Places[i];
        i = ~i - 1;
        if (i < 0 || i + 1 >= _train.Seconds.Length)
            return double.NaN;
        return _train.Places[i] + (seconds - _train.Seconds[i]) / (_train.Seconds[i + 1] - _train.Seconds[i]) * _train.Steps[i];
    }

    /// <summary>Places from the first to the last tooth.</summary>
    public int Count => _train.Places[^1];
}
