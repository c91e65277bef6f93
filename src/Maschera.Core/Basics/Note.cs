namespace Maschera.Core.Basics;

/// <summary>A doubt or remark: a short stable code, and the sentence for a person.</summary>
public sealed record Note(string Code, string Text);
