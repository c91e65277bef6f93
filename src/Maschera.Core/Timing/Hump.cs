namespace Maschera.Core.Timing;

/// <summary>One compression: the stroke's seconds and whose it is.</summary>
public sealed record Hump(double From, double To, int Position, int? Cylinder);
