using System.Text.Json;
using System.Text.Json.Serialization;

namespace Furlough.Model;

/// <summary>Source-generated JSON of everything that is stored or travels.</summary>
[JsonSourceGenerationOptions(
    JsonSerializerDefaults.Web,
    UnmappedMemberHandling = JsonUnmappedMemberHandling.Skip,
    RespectNullableAnnotations = true,
    RespectRequiredConstructorParameters = true
)]
[JsonSerializable(typeof(Survey))]
[JsonSerializable(typeof(IReadOnlyList<KindCard>))]
[JsonSerializable(typeof(Docket))]
[JsonSerializable(typeof(Permit))]
[JsonSerializable(typeof(Bulletin))]
[JsonSerializable(typeof(IReadOnlyList<Bulletin>))]
[JsonSerializable(typeof(Progress))]
[JsonSerializable(typeof(PlanBody))]
[JsonSerializable(typeof(IReadOnlyList<PointerHistory>))]
[JsonSerializable(typeof(IReadOnlyList<OriginalFacts>))]
[JsonSerializable(typeof(IReadOnlyList<Finding>))]
[JsonSerializable(typeof(Failure))]
[JsonSerializable(typeof(IReadOnlyDictionary<string, long>))]
[JsonSerializable(typeof(IReadOnlyDictionary<string, Growth>))]
[JsonSerializable(typeof(IReadOnlyList<StepTime>))]
public sealed partial class ModelJson : JsonSerializerContext;
