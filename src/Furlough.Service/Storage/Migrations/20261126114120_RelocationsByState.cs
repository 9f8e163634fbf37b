using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class RelocationsByState : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_Relocations_Run",
                table: "Relocations");

            migrationBuilder.CreateIndex(
                name: "IX_Relocations_Run_State",
                table: "Relocations",
                columns: new[] { "Run", "State" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_Relocations_Run_State",
                table: "Relocations");

            migrationBuilder.CreateIndex(
                name: "IX_Relocations_Run",
                table: "Relocations",
                column: "Run");
        }
    }
}
