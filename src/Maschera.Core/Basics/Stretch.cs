namespace Maschera.Core.Basics;

/// <summary>A stretch of time, seconds on a capture's own axis.</summary>
public readonly record struct Stretch(double From, double To);
