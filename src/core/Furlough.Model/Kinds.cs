using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>What a setting wants to be told: the holding's folder, or the folder around it, to which the program adds a name of its own.</summary>
[JsonConverter(typeof(WordConverter<PointerShape>))]
public enum PointerShape { Folder, Parent }

/// <summary>One setting of a kind of holding.</summary>
/// <param name="Syntax">How its file is written: ini, environment, properties, json, xml, toml, yaml; or <see cref="Link"/>.</param>
/// <param name="File">Path of its file; <c>{home}</c> and <c>{account}</c> are filled in.</param>
/// <param name="Key">The names that lead to it, from the outermost, joined by '/'; a '/' of a name is written ~1, a '~' ~0.</param>
/// <param name="Adds">The name that the program adds, where the setting wants the parent.</param>
public sealed record CardPointer(string Syntax, string File, string Key, PointerShape Wants, string? Adds)
{
    /// <summary>Instead of a syntax: the file is a symbolic link, and where it leads is the value.</summary>
    public const string Link = "link";
}

/// <summary>A further kind of holding, one for each account, described without code.</summary>
/// <param name="Name">What its holdings are called.</param>
/// <param name="Title">A sentence for people.</param>
/// <param name="Systems">Patterns of the operating systems that it is for; empty for all.</param>
/// <param name="Pointers">The settings that lead to it; all must agree.</param>
public sealed record KindCard(string Name, string Title, IReadOnlyList<string> Systems, IReadOnlyList<CardPointer> Pointers);
