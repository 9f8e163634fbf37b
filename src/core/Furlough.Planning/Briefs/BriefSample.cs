namespace Furlough.Planning.Briefs;

/// <summary>The commented brief that ships with the product.</summary>
public static class BriefSample
{
    /// <summary>Its text.</summary>
    public static string Text { get; } = Load();

    private static string Load()
    {
        using var stream = typeof(BriefSample).Assembly.GetManifestResourceStream("brief-sample.yaml")!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
