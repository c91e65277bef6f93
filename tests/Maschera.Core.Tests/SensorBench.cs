using Maschera.Core.Engines;
using Maschera.Core.Signals;
using MathNet.Numerics;

namespace Maschera.Core.Tests;

/// <summary>
/// Crank and cam sensor of an engine whose speed swings once a firing. What the crank's sensor sees of its wheel is smeared over its width,
/// so that an inductive one crosses zero slowly in the gap.
/// </summary>
/// <param name="Teeth">Tooth places; the gaps are spread evenly.</param>
/// <param name="Missing">Teeth missing in each gap.</param>
internal sealed record SensorBench(int Teeth, params int[] Missing)
{
    private const double Rate = 50_000,
        Grid = 40_000;

    /// <summary>Half width of a segment's end before an inductive cam sensor, crank degrees.</summary>
    private const double CamWidth = 4;

    public int Cylinders { get; init; } = 4;

    public double Rpm { get; init; } = 800;

    /// <summary>Share of its speed the crank swings by, up and down.</summary>
    public double Swing { get; init; } = 0.015;

    public bool IsInductive { get; init; }

    /// <summary>The wires of the crank sensor are the other way round.</summary>
    public bool IsTurned { get; init; }

    /// <summary>Width of what the crank sensor sees at once, pitches.</summary>
    public double Smear { get; init; } = 0.25;

    /// <summary>Where the cam's segments begin and how wide they are, crank degrees.</summary>
    public IReadOnlyList<(double From, double Width)> Segments { get; init; } = [(0, 150)];

    /// <summary>How far the cam is late, degrees.</summary>
    public double Late { get; init; }

    public bool IsCamInductive { get; init; }

    /// <summary>What an inductive cam sensor shows beside its wheel, shares of its peak: mains hum, noise.</summary>
    public double CamHum { get; init; }

    public double CamNoise { get; init; } = 0.005;

    public int Seed { get; init; } = 1;

    /// <summary>An engine of as many cylinders, firing evenly; its wheel where it is told.</summary>
    public Engine Engine(bool told = false) =>
        new("Made up", [.. Enumerable.Range(1, Cylinders)])
        {
            Cylinders = Cylinders,
            CrankWheel = told ? new CrankWheel(Teeth, Missing, 0) : null,
        };

    /// <summary>So many like segments, evenly spaced.</summary>
    public static IReadOnlyList<(double From, double Width)> Like(int count) =>
        [.. Enumerable.Range(0, count).Select(i => (720.0 / count * i, 300.0 / count))];

    /// <summary>Both sensors for so many seconds.</summary>
    public Capture Run(double seconds = 3)
    {
        var random = new Random(Seed);
        var (seen, slope) = Seen();
        var count = (int)(seconds * Rate);
        var (crank, cam) = (new float[count], new float[count]);
        var degrees = 720 * random.NextDouble();
        for (var i = 0; i < count; i++)
        {
            var speed = 1 - Swing * Math.Cos(degrees * Cylinders / 2 * Math.PI / 180);
            degrees += 6 * Rpm * speed / Rate;
            var at = (int)(degrees % 360 / 360 * Grid);
            var volts =
                IsInductive ? slope[at] * speed * (IsTurned ? -4 : 4)
                : seen[at] > 0.5 != IsTurned ? 5
                : 0.1;
            crank[i] = (float)(volts + 0.02 * LogMaker.Gaussian(random));
            volts =
                IsCamInductive ? 4 * (speed * CamSlope(degrees - Late) + CamHum * Math.Sin(100 * Math.PI * i / Rate))
                : IsOnSegment(degrees - Late) ? 5
                : 0.2;
            cam[i] = (float)(volts + 4 * CamNoise * LogMaker.Gaussian(random));
        }

        var time = TimeAxis.Uniform(0, 1 / Rate, count);
        return new Capture("two sensors", [new("Crank sensor", "V", time, crank), new("Cam sensor", "V", time, cam)], []);
    }

    private bool IsOnSegment(double degrees) => Segments.Any(s => (((degrees - s.From) % 720) + 720) % 720 < s.Width);

    /// <summary>How steeply what an inductive cam sensor sees changes, 1 at the ends of the segments.</summary>
    private double CamSlope(double degrees)
    {
        double Peak(double off) => Math.Exp(-Math.Pow(Math.IEEERemainder(off, 720) / CamWidth, 2));
        return Segments.Sum(s => Peak(degrees - s.From) - Peak(degrees - s.From - s.Width));
    }

    /// <summary>What is seen of the wheel at each place of a turn, 0 to 1, and how steeply that changes, a pitch.</summary>
    private (double[] Seen, double[] Slope) Seen()
    {
        var (seen, slope) = (new double[(int)Grid], new double[(int)Grid]);
        var part = Missing.Length == 0 ? Teeth : Teeth / Missing.Length;
        var there = Enumerable.Range(0, Teeth).Where(tooth => Missing.Length == 0 || tooth % part < part - Missing[tooth / part]).ToList();
        for (var i = 0; i < seen.Length; i++)
            foreach (var tooth in there)
            {
                var off = Math.IEEERemainder(i / Grid * Teeth - tooth - 0.5, Teeth);
                if (Math.Abs(off) > 4)
                    continue;
                var (rise, fall) = ((off + 0.25) / Smear, (off - 0.25) / Smear);
                seen[i] += (SpecialFunctions.Erf(rise) - SpecialFunctions.Erf(fall)) / 2;
                slope[i] += (Math.Exp(-rise * rise) - Math.Exp(-fall * fall)) / Smear;
            }

        return (seen, slope);
    }
}
