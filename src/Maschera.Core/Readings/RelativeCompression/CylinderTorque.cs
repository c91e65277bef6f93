namespace Maschera.Core.Readings.RelativeCompression;

/// <summary>The gas torque of one cylinder in every bin of the folded cycle, and the charge that makes it.</summary>
internal sealed record CylinderTorque(double[] Bins, CompressedCharge Charge)
{
    public static CylinderTorque Of(CompressedCharge charge, double tdc)
    {
        var bins = new double[CrankingFold.Bins];
        var after = CrankingFold.AfterTdc(CrankingFold.BinAngle(0) - tdc);
        for (var b = 0; b < bins.Length; b++)
        {
            if (after < 180)
                bins[b] = charge.At(after);
            after += CrankingFold.BinDegrees;
            if (after >= 360)
                after -= 720;
        }

        return new CylinderTorque(bins, charge);
    }
}

/// <summary>
/// The last two torques of every cylinder by what they were made of: most steps of a fit leave most cylinders alone, and come back to
/// where they were.
/// </summary>
internal sealed class CylinderTorques(int cylinders)
{
    private readonly (double[] From, CylinderTorque Torque)?[] _last = new (double[], CylinderTorque)?[cylinders];
    private readonly (double[] From, CylinderTorque Torque)?[] _before = new (double[], CylinderTorque)?[cylinders];

    public CylinderTorque Of(int cylinder, double[] from, Func<CylinderTorque> make)
    {
        if (_last[cylinder] is { } last && last.From.AsSpan().SequenceEqual(from))
            return last.Torque;
        var found = _before[cylinder] is { } before && before.From.AsSpan().SequenceEqual(from) ? before : (from, make());
        (_before[cylinder], _last[cylinder]) = (_last[cylinder], found);
        return found.Item2;
    }
}
